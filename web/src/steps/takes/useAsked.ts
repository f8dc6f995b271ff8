import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { usePlayer } from "../../audio/usePlayer";
import { takesQuery } from "../../queries/queries";

/** Something heard or kept of a sound, and what went wrong with it in words. */
export function useAsked() {
  const [player] = usePlayer();
  const cache = useQueryClient();
  const [trouble, setTrouble] = useState<string | null>(null);
  const failed = (error: unknown) => setTrouble(error instanceof Error ? error.message : String(error));
  return {
    trouble,
    hear: (key: string, get: () => Promise<ArrayBuffer>) => {
      setTrouble(null);
      void player.strike(key, get).catch(failed);
    },
    /** What becomes of it once the shelf knows; nothing where it was refused. */
    keep: async <T>(ask: () => Promise<T>, then: (made: T) => void | Promise<void>) => {
      setTrouble(null);
      try {
        const made = await ask();
        await cache.invalidateQueries({ queryKey: takesQuery().queryKey });
        await then(made);
      } catch (error) {
        failed(error);
      }
    },
    failed,
  };
}
