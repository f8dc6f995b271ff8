import { type RefObject, useEffect, useRef } from "react";
import { PAD_CODES } from "./pads";

const TYPED = "input:not([type=range]):not([type=checkbox]), textarea, select";

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
      // Where something is typed, a letter is a letter.
      if (event.target instanceof HTMLElement && event.target.matches(TYPED)) return;
      event.preventDefault();
      event.stopPropagation();
      if (!event.repeat) latest.current.choose(at);
    };
    element?.addEventListener("keydown", listen);
    return () => element?.removeEventListener("keydown", listen);
  }, [box]);
}
