import { useCallback, useState } from "react";
import { api } from "../../api/client";
import type { Stretch } from "../../api/takes";
import type { LoadedTake } from "../../api/types";
import { usePlayer } from "../../audio/usePlayer";

/** So much of a long recording is heard from its beginning, s. */
const FIRST_S = 20;

/** A sound of the shelf heard alone, all of it or a stretch; what went wrong, in words. */
export function useHeard() {
  const [player] = usePlayer();
  const [trouble, setTrouble] = useState<string | null>(null);
  const hear = useCallback(
    (take: Pick<LoadedTake, "id">, stretch: Stretch | null, rate: number, long = false) => {
      setTrouble(null);
      const key = stretch ? `take ${take.id} ${stretch.begin_s} ${stretch.end_s} ${rate}` : `take ${take.id} ${rate}`;
      const get = () =>
        long
          ? api.recordingSound(take.id, stretch ?? { begin_s: 0, end_s: FIRST_S }, rate)
          : stretch
            ? api.impactSound(take.id, stretch, rate)
            : api.takeSound(take.id, 0, rate);
      void player
        .strike(key, get, false)
        .catch((error) => setTrouble(error instanceof Error ? error.message : String(error)));
    },
    [player],
  );
  return [trouble, hear] as const;
}
