import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useState } from "react";
import type { DataSheet } from "../api/types";
import { dataQuery, keys } from "./queries";

/** The data as a whole, and what changes it: each answer is the data as it is then. */
export function useData() {
  const cache = useQueryClient();
  const sheet = useQuery(dataQuery());
  const [trouble, setTrouble] = useState<string | null>(null);
  const change = useCallback(
    async (ask: () => Promise<DataSheet>) => {
      setTrouble(null);
      try {
        cache.setQueryData(keys.data, await ask());
        await cache.invalidateQueries({ queryKey: keys.tracks });
        return true;
      } catch (error) {
        setTrouble(error instanceof Error ? error.message : String(error));
        return false;
      }
    },
    [cache],
  );
  return { sheet, trouble, change };
}
