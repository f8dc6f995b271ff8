import { replaceEqualDeep } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, type Shown } from "../../api/client";
import type { HitPicture, Track } from "../../api/types";
import { useEditor } from "../../queries/editor";
import { hitsOf } from "./pads";

/** An answer waits for the page to be free: the next are asked for meanwhile. */
const MOST_IN_FLIGHT = 3;

interface Asked {
  hitId: string;
  shown: Shown | null;
  /** Whether the store knows the hit. */
  known: boolean;
  /** Whether what is stored is drawn already. */
  current: boolean;
}

/** The picture of a hit that changes faster than it is stored: the newest state is drawn. */
export function useLivePicture(asked: Asked): HitPicture | null {
  const editor = useEditor();
  const { latest, watch, state } = editor;
  const [drawn, setDrawn] = useState<HitPicture | null>(null);
  const now = useRef(asked);
  now.current = asked;
  const { current } = asked;

  useEffect(() => {
    let gone = false;
    let inFlight = 0;
    let sent = 0;
    let shownLast = 0;
    let done: Track | null = null;
    const run = async () => {
      const track = latest();
      if (gone || inFlight >= MOST_IN_FLIGHT || track === done || !now.current.known) return;
      const { hitId, shown } = now.current;
      const hit = hitsOf(track).find((one) => one.id === hitId)?.hit;
      if (!hit) return;
      done = track;
      inFlight++;
      const number = ++sent;
      try {
        const picture = await api.preview(state.id, hitId, hit, shown);
        // One that was overtaken is not drawn any more.
        if (!gone && number > shownLast) {
          shownLast = number;
          // Layers that have not changed stay the same objects, and are not drawn again.
          setDrawn((before) => replaceEqualDeep(before, picture));
          performance.mark("juglant-picture");
        }
      } catch {
        // The stored change says what is wrong with it.
      }
      inFlight--;
      // What came while there was no room.
      void run();
    };
    const unwatch = watch(() => void run());
    return () => {
      gone = true;
      unwatch();
    };
  }, [latest, watch, state.id]);

  useEffect(() => {
    if (current && latest() === state.track) setDrawn(null);
  }, [current, latest, state.track]);

  return drawn;
}
