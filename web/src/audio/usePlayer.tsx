import { createContext, type ReactNode, type RefObject, useContext, useEffect, useSyncExternalStore } from "react";
import { Player } from "./player";
import type { PlayerView } from "./view";

const PlayerContext = createContext<Player | null>(null);

declare global {
  interface Window {
    /** For measuring what the page plays. */
    juglantPlayer?: Player;
  }
}

const player = new Player();
window.juglantPlayer = player;

export function PlayerProvider({ children }: { children: ReactNode }) {
  return <PlayerContext value={player}>{children}</PlayerContext>;
}

export function usePlayer(): [Player, PlayerView] {
  const found = useContext(PlayerContext);
  if (found === null) throw new Error("usePlayer needs a PlayerProvider above it");
  return [found, useSyncExternalStore(found.subscribe, found.snapshot)];
}

const SYNC_MS = 200;
/** Further than this from what is heard, what is drawn is set right. */
const OFF_MS = 15;

/** Moves an element with the loop while it plays, from `fromPx` to `toPx`; the compositor moves it, nothing is drawn anew. */
export function useTravel(element: RefObject<HTMLElement | null>, fromPx: number, toPx: number) {
  const [found, view] = usePlayer();
  useEffect(() => {
    const { current } = element;
    if (!current || !view.playing) return;
    const places = [fromPx, toPx].map((px) => ({ transform: `translateX(${px.toFixed(1)}px)` }));
    const travel = current.animate(places, { duration: 1000, iterations: Number.POSITIVE_INFINITY });
    const sync = () => {
      const now = found.loopMs();
      current.style.visibility = now === null ? "hidden" : "visible";
      if (now === null) return;
      if (travel.effect?.getTiming().duration !== now.lengthMs)
        travel.effect?.updateTiming({ duration: now.lengthMs });
      // What is drawn is of the last frame: on a busy machine that is a while ago, and it is set as it was then.
      const ago = Math.max(0, performance.now() - Number(document.timeline.currentTime ?? performance.now()));
      const then = now.atMs - ago;
      const drawn = Number(travel.currentTime ?? 0) % now.lengthMs;
      if (Math.abs(drawn - then) > OFF_MS) travel.currentTime = then < 0 ? then + now.lengthMs : then;
    };
    // Until it is heard, with every frame: it is right from the first that shows it.
    let frame = 0;
    const begin = () => {
      sync();
      if (found.loopMs() === null) frame = requestAnimationFrame(begin);
    };
    begin();
    const timer = setInterval(sync, SYNC_MS);
    return () => {
      clearInterval(timer);
      cancelAnimationFrame(frame);
      travel.cancel();
      current.style.visibility = "hidden";
    };
  }, [found, view.playing, element, fromPx, toPx]);
}
