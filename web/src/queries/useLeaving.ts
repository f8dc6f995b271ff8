import { useEffect } from "react";
import type { SaveQueue } from "./saving";

/** What is not stored is sent when the page goes away, and whoever closes it is warned. */
export function useLeaving(queues: ReadonlyMap<string, SaveQueue>) {
  useEffect(() => {
    const warn = (event: BeforeUnloadEvent) => {
      if ([...queues.values()].some((one) => one.queue.length > 0)) event.preventDefault();
    };
    const leave = () => {
      for (const one of queues.values()) one.finish();
    };
    // A page that comes back from where the browser kept it asks again what is stored.
    const back = (event: PageTransitionEvent) => {
      if (event.persisted) window.location.reload();
    };
    window.addEventListener("beforeunload", warn);
    window.addEventListener("pagehide", leave);
    window.addEventListener("pageshow", back);
    return () => {
      window.removeEventListener("beforeunload", warn);
      window.removeEventListener("pagehide", leave);
      window.removeEventListener("pageshow", back);
    };
  }, [queues]);
}
