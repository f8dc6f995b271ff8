import { useCallback, useEffect, useMemo } from "react";
import { api } from "../../api/client";
import { BASS, bassIsLayers, partOf } from "../../api/parts";
import type { TrackState } from "../../api/types";
import { usePlayer } from "../../audio/usePlayer";
import { FULL_STRENGTH, hitsOf, PAD_CODES, strokeKey } from "./pads";

/** Play hits of the kit: by pad, by key and by strength; what is likely to be struck next is fetched ahead. */
export function usePads(state: TrackState, velocity: number) {
  const [player] = usePlayer();
  const hits = useMemo(() => hitsOf(state.track), [state.track]);

  const play = useCallback(
    async (id: string, strength: number, layer: string | null = null, alone = false) => {
      // As it is stored: what is on its way to the store has no sound yet.
      const one = partOf(state.track, id);
      if (!one || (id === BASS && !bassIsLayers(state.track))) return () => undefined;
      const get = () => api.stroke(state.id, state.revision, id, strength, 0, layer);
      return player.strike(strokeKey(state.track, one, strength, layer), get, alone).catch(() => () => undefined);
    },
    [player, state.id, state.revision, state.track],
  );

  useEffect(() => {
    for (const one of hits) {
      for (const strength of [velocity, FULL_STRENGTH]) {
        const get = () => api.stroke(state.id, state.revision, one.id, strength, 0, null);
        void player.ready(strokeKey(state.track, one, strength, null), get).catch(() => undefined);
      }
    }
  }, [player, state.id, state.revision, state.track, hits, velocity]);

  useEffect(() => {
    const listen = (event: KeyboardEvent) => {
      const target = event.target;
      const typing = target instanceof HTMLElement && target.matches("input:not([type=range]), textarea, select");
      if (typing || event.repeat || event.ctrlKey || event.metaKey || event.altKey) return;
      if (document.querySelector(".modal.show")) return;
      const hit = hits[PAD_CODES.indexOf(event.code)];
      if (!hit) return;
      event.preventDefault();
      void play(hit.id, event.shiftKey ? FULL_STRENGTH : velocity);
    };
    window.addEventListener("keydown", listen);
    return () => window.removeEventListener("keydown", listen);
  }, [hits, velocity, play]);

  return play;
}
