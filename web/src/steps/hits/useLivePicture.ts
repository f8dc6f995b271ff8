import { useEffect, useRef, useState } from "react";
import { api, type Shown } from "../../api/client";
import type { Hit, HitPicture } from "../../api/types";

interface Wanted {
  id: string;
  hitId: string;
  hit: Hit;
  shown: Shown | null;
}

/** The picture of a hit that changes faster than it is stored: the newest state is drawn, one request at a time. */
export function useLivePicture(wanted: Wanted | null): HitPicture | null {
  const [drawn, setDrawn] = useState<{ of: string; picture: HitPicture } | null>(null);
  const next = useRef<Wanted | null>(null);
  const running = useRef(false);
  next.current = wanted;

  useEffect(() => {
    if (wanted === null || running.current) return;
    const run = async () => {
      running.current = true;
      for (let asked = next.current; asked; asked = asked === next.current ? null : next.current) {
        try {
          const picture = await api.preview(asked.id, asked.hitId, asked.hit, asked.shown);
          setDrawn({ of: `${asked.id} ${asked.hitId}`, picture });
          performance.mark("juglant-picture");
        } catch {
          // The stored change says what is wrong with it.
          break;
        }
      }
      running.current = false;
    };
    void run();
  }, [wanted]);

  return wanted && drawn?.of === `${wanted.id} ${wanted.hitId}` ? drawn.picture : null;
}
