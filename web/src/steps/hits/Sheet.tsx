import { type KeyboardEvent, useCallback, useRef } from "react";
import type { Variation } from "../../api/types";
import { figure } from "../../controls/figures";
import { wavePath } from "./layers";
import "./sheet.css";
import { padLabel } from "./pads";
import { useOwnKeys } from "./useOwnKeys";

interface Props {
  places: Variation[];
  chosen: number | null;
  onChoose: (index: number) => void;
}

const COLUMNS = 8;
const WIDTH = 92;
const HEIGHT = 40;

/** A roll is brought back to the level of what was rolled. */
const levelSaid = (one: Variation) =>
  Math.abs(one.levelled_db) < 0.05
    ? ""
    : `, levelled by ${figure(one.levelled_db, "dB", { sign: true })} after the roll`;

/** Sixteen small pictures: a press, an arrow key or the key written on one plays it and chooses it. */
export function Sheet({ places, chosen, onChoose }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const latest = useRef({ places, onChoose });
  latest.current = { places, onChoose };

  const choose = useCallback((at: number) => {
    const one = latest.current.places[at];
    if (!one) return;
    box.current?.querySelectorAll("button")[at]?.focus();
    latest.current.onChoose(one.index);
  }, []);
  useOwnKeys(box, places.length, choose);
  const arrows = (event: KeyboardEvent, at: number) => {
    const by = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -COLUMNS, ArrowDown: COLUMNS }[event.key];
    if (!by || !places[at + by]) return;
    event.preventDefault();
    choose(at + by);
  };
  const full = Math.max(1e-4, ...places.flatMap((one) => [...one.small.thumbnail.high]));
  const span = Math.max(1, ...places.map((one) => one.small.thumbnail.span_ms));
  return (
    <div className="sheet" role="group" aria-label="Variations" ref={box}>
      {places.map((one, at) => {
        const { thumbnail, features } = one.small;
        return (
          <button
            type="button"
            key={one.index}
            aria-pressed={chosen === one.index}
            aria-label={`Variation ${one.index + 1}: ${figure(features.length_ms, "ms")}, bright at ${figure(features.brightness_hz, "Hz")}, low end ${figure(features.sub_db, "dB")}, lands ${figure(features.landing_hz, "Hz")}${levelSaid(one)}`}
            title={levelSaid(one).replace(", ", "") || undefined}
            onPointerDown={(event) => event.button === 0 && choose(at)}
            onKeyDown={(event) => {
              arrows(event, at);
              if (event.key === "Enter") {
                event.preventDefault();
                choose(at);
              }
            }}
          >
            <svg width={WIDTH} height={HEIGHT} aria-hidden="true">
              <path
                d={wavePath(thumbnail.low, thumbnail.high, (WIDTH * thumbnail.span_ms) / span, HEIGHT, full)}
                fill="var(--kick)"
              />
            </svg>
            <span className="mono">
              <kbd>{padLabel(at)}</kbd> {figure(features.length_ms, "ms")}
            </span>
            <span className="mono soft">
              {features.landing_hz ? figure(features.landing_hz, "Hz") : `~${figure(features.brightness_hz, "Hz")}`}
            </span>
          </button>
        );
      })}
    </div>
  );
}
