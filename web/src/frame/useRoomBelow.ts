import { useCallback } from "react";

/** For a ref of what lies over the foot of the page: how high it is goes into a variable, so that nothing stays under it. */
export function useRoomBelow(variable: string): (element: HTMLElement | null) => (() => void) | undefined {
  return useCallback(
    (element) => {
      if (!element) return;
      const observer = new ResizeObserver(([entry]) => {
        document.documentElement.style.setProperty(variable, `${Math.ceil(entry?.contentRect.height ?? 0)}px`);
      });
      observer.observe(element);
      return () => observer.disconnect();
    },
    [variable],
  );
}
