import { type ComponentProps, useEffect, useRef, useState } from "react";
import { TimeSpan } from "../plots/timeAxis";
import { LowEndStrip } from "./LowEndStrip";
import "./strip.css";

const FOLDED_PX = 60;
const KEPT = "juglant-strip-folded";

/**
 * The strip over the bench: it folds while the bench is scrolled, or by hand. It keeps its room, so that nothing moves
 * when it folds by itself.
 */
export function FoldedStrip({ height, ...strip }: ComponentProps<typeof LowEndStrip>) {
  const [byHand, setByHand] = useState(() => localStorage.getItem(KEPT) === "yes");
  const [scrolled, setScrolled] = useState(false);
  const box = useRef<HTMLDivElement>(null);
  const whole = byHand ? FOLDED_PX : height;
  useEffect(() => {
    const bench = box.current?.closest("main");
    if (!bench) return;
    const look = () => setScrolled(bench.scrollTop > whole - FOLDED_PX + 1);
    look();
    bench.addEventListener("scroll", look, { passive: true });
    return () => bench.removeEventListener("scroll", look);
  }, [whole]);
  const folded = byHand || scrolled;
  return (
    <div ref={box} className="strip-box" style={{ height: whole, top: FOLDED_PX - whole }}>
      <div className="strip-drawn">
        <LowEndStrip {...strip} height={folded ? FOLDED_PX : height} />
        <span className="strip-acts">
          <TimeSpan />
          <button
            type="button"
            className="btn btn-plain"
            aria-expanded={!byHand}
            aria-label="The whole low end"
            title={byHand ? "Unfold the low end" : "Fold the low end"}
            onClick={() => {
              localStorage.setItem(KEPT, byHand ? "no" : "yes");
              setByHand(!byHand);
            }}
          >
            {byHand ? "▾" : "▴"}
          </button>
        </span>
      </div>
    </div>
  );
}
