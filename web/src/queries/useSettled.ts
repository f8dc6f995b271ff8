import { useEffect, useState } from "react";

const QUIET_MS = 160;

/** A value once it has rested and nothing is `moving`: for what takes long, and must not hold up what follows at once. */
export function useSettled<T>(value: T, moving: boolean, quietMs = QUIET_MS): T {
  const [settled, setSettled] = useState(value);
  useEffect(() => {
    if (moving) return;
    const timer = setTimeout(() => setSettled(value), quietMs);
    return () => clearTimeout(timer);
  }, [value, moving, quietMs]);
  return settled;
}
