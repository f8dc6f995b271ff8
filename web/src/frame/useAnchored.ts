import { type RefObject, useEffect } from "react";

/** What was pressed stays where it is for so long: what follows from a press has come by then. */
const HELD_MS = 1500;
const CONTROLS = "button, input, select, [role=button], [role=checkbox], [role=tab], [role=slider]";

/** Scrolls a part of the page so that what was pressed in it stays under the pointer, whatever comes or goes above it. */
export function useAnchored(part: RefObject<HTMLElement | null>) {
  useEffect(() => {
    const box = part.current;
    if (!box) return;
    let held: { element: Element; top: number; until: number } | null = null;
    const press = (event: PointerEvent) => {
      const pressed = event.target instanceof Element ? event.target.closest(CONTROLS) : null;
      // A line of a menu is gone with the press: what opened it stays.
      const menu = pressed?.closest(".dropdown-menu");
      const element = menu ? (menu.parentElement?.querySelector(".dropdown-toggle") ?? null) : pressed;
      const top = element?.getBoundingClientRect().top ?? 0;
      held = element && { element, top, until: performance.now() + HELD_MS };
    };
    const letGo = () => {
      held = null;
    };
    // A hand that moves on, or scrolls, is not held.
    const drag = (event: PointerEvent) => {
      if (event.buttons) letGo();
    };
    // Neither is one that scrolls by whatever other way.
    let own = box.scrollTop;
    const scrolled = () => {
      if (Math.abs(box.scrollTop - own) > 1) letGo();
      own = box.scrollTop;
    };
    const keep = new MutationObserver(() => {
      if (!held) return;
      // What is not laid out any more has no place to be kept at.
      if (performance.now() > held.until || held.element.getClientRects().length === 0) return letGo();
      const moved = held.element.getBoundingClientRect().top - held.top;
      if (Math.abs(moved) < 1) return;
      box.scrollTop += moved;
      own = box.scrollTop;
    });
    keep.observe(box, { childList: true, subtree: true, characterData: true });
    box.addEventListener("pointerdown", press, { capture: true });
    box.addEventListener("pointermove", drag);
    box.addEventListener("wheel", letGo, { passive: true });
    box.addEventListener("scroll", scrolled, { passive: true });
    window.addEventListener("keydown", letGo);
    return () => {
      keep.disconnect();
      box.removeEventListener("pointerdown", press, { capture: true });
      box.removeEventListener("pointermove", drag);
      box.removeEventListener("wheel", letGo);
      box.removeEventListener("scroll", scrolled);
      window.removeEventListener("keydown", letGo);
    };
  }, [part]);
}
