import { useCallback, useState } from "react";

/** Width in px of an element, followed as it changes; a picture drawn in px is crisp and its text keeps its shape. */
export function useWidth(initial: number): [(element: Element | null) => void, number] {
  const [width, setWidth] = useState(initial);
  const follow = useCallback((element: Element | null) => {
    if (!element) return;
    const observer = new ResizeObserver(([entry]) => {
      if (entry && entry.contentRect.width > 0) setWidth(Math.round(entry.contentRect.width));
    });
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  return [follow, width];
}
