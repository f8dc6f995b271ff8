import { createContext, type ReactNode, useContext, useEffect, useRef, useSyncExternalStore } from "react";
import { Player, type PlayerView } from "./player";

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

/** Tells the beat position on every frame while playing, and null once stopped; nothing is drawn anew for it. */
export function useBeat(show: (beat: number | null) => void) {
  const [found, view] = usePlayer();
  const latest = useRef(show);
  latest.current = show;
  useEffect(() => {
    if (!view.playing) {
      latest.current(null);
      return;
    }
    let frame = requestAnimationFrame(function tick() {
      latest.current(found.beat());
      frame = requestAnimationFrame(tick);
    });
    return () => cancelAnimationFrame(frame);
  }, [found, view.playing]);
}
