import { type RefObject, useEffect, useRef } from "react";
import { PAD_CODES } from "./pads";

/** While something has the focus, the keys of the pads play its places and not the pads. */
export function useOwnKeys(box: RefObject<HTMLElement | null>, count: number, choose: (at: number) => void) {
  const latest = useRef({ count, choose });
  latest.current = { count, choose };
  useEffect(() => {
    const element = box.current;
    const listen = (event: KeyboardEvent) => {
      const at = PAD_CODES.indexOf(event.code);
      if (at < 0 || at >= latest.current.count) return;
      if (event.ctrlKey || event.metaKey || event.altKey) return;
      event.preventDefault();
      event.stopPropagation();
      if (!event.repeat) latest.current.choose(at);
    };
    element?.addEventListener("keydown", listen);
    return () => element?.removeEventListener("keydown", listen);
  }, [box]);
}
