import { type RefObject, useEffect, useRef, useState } from "react";

/** How far below what is shown counts as seen: it is there when one comes to it. */
const AHEAD = "300px";

/** A place for a ref, and whether what stands there is in view: what takes seconds and is read by few waits until then. */
export function useSeen<T extends Element>(): [RefObject<T | null>, boolean] {
  const at = useRef<T>(null);
  const [seen, setSeen] = useState(false);
  useEffect(() => {
    if (!at.current) return;
    const watch = new IntersectionObserver(([one]) => setSeen(one?.isIntersecting ?? false), { rootMargin: AHEAD });
    watch.observe(at.current);
    return () => watch.disconnect();
  }, []);
  return [at, seen];
}
