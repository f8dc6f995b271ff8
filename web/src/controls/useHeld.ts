import { useEffect, useState } from "react";

const FORGOTTEN_MS = 700;

/** A value as the hand has put it, until what is given has caught up, or has had time to. */
export function useHeld(given: number): [number, (value: number) => void] {
  const [held, setHeld] = useState<number | null>(null);
  useEffect(() => {
    if (held === null) return;
    if (held === given) {
      setHeld(null);
      return;
    }
    const timer = setTimeout(() => setHeld(null), FORGOTTEN_MS);
    return () => clearTimeout(timer);
  }, [held, given]);
  return [held ?? given, setHeld];
}
