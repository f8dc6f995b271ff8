import { useRef, useState } from "react";
import { usePlayer } from "../audio/usePlayer";

const HEARD_MS = 8000;

/** Plays a loop alone for a while, one at a time; and what went wrong. */
export function useHeard(): [(key: string, get: () => Promise<ArrayBuffer>) => void, string | null] {
  const [player] = usePlayer();
  const stop = useRef<(() => void) | null>(null);
  const [trouble, setTrouble] = useState<string | null>(null);
  const hear = (key: string, get: () => Promise<ArrayBuffer>) => {
    stop.current?.();
    void player
      .strike(key, get, true)
      .then((end) => {
        stop.current = end;
        setTimeout(end, HEARD_MS);
        setTrouble(null);
      })
      .catch((error) => setTrouble(error instanceof Error ? error.message : String(error)));
  };
  return [hear, trouble];
}
