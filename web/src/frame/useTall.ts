import { useSyncExternalStore } from "react";

const TALL = "(min-height: 1000px)";

const watch = (changed: () => void) => {
  const query = window.matchMedia(TALL);
  query.addEventListener("change", changed);
  return () => query.removeEventListener("change", changed);
};

/** Whether there is room for taller pictures. */
export const useTall = () => useSyncExternalStore(watch, () => window.matchMedia(TALL).matches);
