import { createContext, type ReactNode, useContext, useEffect, useState, useSyncExternalStore } from "react";
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

/** Beat position on every frame while playing, else null. */
export function useBeat(): number | null {
  const [found, view] = usePlayer();
  const [beat, setBeat] = useState<number | null>(null);
  useEffect(() => {
    if (!view.playing) {
      setBeat(null);
      return;
    }
    let frame = requestAnimationFrame(function tick() {
      setBeat(found.beat());
      frame = requestAnimationFrame(tick);
    });
    return () => cancelAnimationFrame(frame);
  }, [found, view.playing]);
  return beat;
}
