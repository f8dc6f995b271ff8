import { useState } from "react";
import { api } from "../../api/client";
import type { Hit, Part } from "../../api/types";
import { usePlayer } from "../../audio/usePlayer";
import { useEditor } from "../../queries/editor";
import { placeKey } from "./pads";

/** A hit heard at a part's place as it would be, and what went wrong with it in words. */
export function useHeardHit(one: Part) {
  const { state } = useEditor();
  const [player] = usePlayer();
  const [trouble, setTrouble] = useState<string | null>(null);
  return {
    trouble,
    hear: (hit: Hit) => {
      setTrouble(null);
      void player
        .strike(`tried ${one.id} ${placeKey(state.track, one)} ${JSON.stringify(hit)}`, () =>
          api.sound(state.id, one.id, hit),
        )
        .catch((error) => setTrouble(String(error.message ?? error)));
    },
  };
}
