import { type KeyboardEvent, type PointerEvent, useRef } from "react";
import type { KitHit, Stroke } from "../../api/types";
import { newGesture } from "../../queries/gesture";
import { FULL_STRENGTH as FULL, strokeAt } from "../hits/pads";
import { CELL } from "./grid";

interface Props {
  hits: KitHit[];
  beats: number;
  x: (beats: number) => number;
  picked: Picked | null;
  onPick: (picked: Picked | null) => void;
  onStrokes: (id: string, label: string, change: (strokes: Stroke[]) => Stroke[], gesture?: string) => void;
}

export interface Picked {
  id: string;
  at: number;
}

export const HIT_ROW = 22;
const USUAL = 100;
const MOVES_FROM_PX = 3;
const VELOCITY_STEP = 8;

interface Held {
  id: string;
  at: number;
  y: number;
  velocity: number;
  gesture: string;
  was: boolean;
  moved: boolean;
}

/** Every cell of the grid, and any stroke that lies between them. */
const cellsOf = (strokes: Stroke[], beats: number) => [
  ...Array.from({ length: beats / CELL }, (_, cell) => cell * CELL),
  ...strokes.map((stroke) => stroke.at_beats).filter((at) => at % CELL !== 0 && at < beats),
];

const clamped = (velocity: number) => Math.round(Math.min(FULL, Math.max(1, velocity)));

/** A row of cells for each hit: a press puts a stroke there or takes it away, a drag up or down sets how hard. */
export function HitRows({ hits, beats, x, picked, onPick, onStrokes }: Props) {
  const held = useRef<Held | null>(null);
  const set = (id: string, at: number, change: Partial<Stroke>, gesture?: string) =>
    onStrokes(id, "Stroke", (all) => all.map((one) => (one.at_beats === at ? { ...one, ...change } : one)), gesture);
  const add = (one: KitHit, at: number) => {
    const velocity = one.id === "kick" ? FULL : USUAL;
    onStrokes(one.id, `${one.name} pattern`, (all) => [...all, strokeAt(at, velocity)]);
    onPick({ id: one.id, at });
    return velocity;
  };
  const remove = (one: KitHit, at: number) => {
    onStrokes(one.id, `${one.name} pattern`, (all) => all.filter((stroke) => stroke.at_beats !== at));
    onPick(null);
  };
  const down = (event: PointerEvent<SVGElement>, one: KitHit, at: number, stroke: Stroke | undefined) => {
    event.stopPropagation();
    if (event.button !== 0) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    const velocity = stroke?.velocity ?? add(one, at);
    if (stroke) onPick({ id: one.id, at });
    const gesture = newGesture();
    // Shift only picks: to set the timing of a stroke without taking it away.
    held.current = {
      id: one.id,
      at,
      y: event.clientY,
      velocity,
      gesture,
      was: !!stroke && !event.shiftKey,
      moved: false,
    };
  };
  const move = (event: PointerEvent) => {
    const now = held.current;
    if (!now || !(event.buttons & 1)) return;
    const px = now.y - event.clientY;
    if (!now.moved && Math.abs(px) < MOVES_FROM_PX) return;
    now.moved = true;
    set(now.id, now.at, { velocity: clamped(now.velocity + px) }, now.gesture);
  };
  const up = () => {
    const now = held.current;
    held.current = null;
    const one = hits.find((each) => each.id === now?.id);
    if (now?.was && !now.moved && one) remove(one, now.at);
  };
  const key = (event: KeyboardEvent, one: KitHit, at: number, stroke: Stroke | undefined) => {
    const by = { ArrowUp: VELOCITY_STEP, ArrowDown: -VELOCITY_STEP }[event.key];
    if (event.key === "Enter") stroke ? remove(one, at) : add(one, at);
    else if (stroke && (event.key === "Delete" || event.key === "Backspace")) remove(one, at);
    else if (stroke && by) set(one.id, at, { velocity: clamped(stroke.velocity + (event.shiftKey ? by / 8 : by)) });
    else return;
    event.preventDefault();
  };
  const width = Math.max(2, x(CELL) - x(0) - 2);
  return (
    <g onPointerMove={move} onPointerUp={up}>
      {hits.map((one, row) => {
        const strokes = new Map(one.strokes.map((stroke) => [stroke.at_beats, stroke]));
        const top = row * HIT_ROW + 3;
        const height = HIT_ROW - 5;
        return (
          <g key={one.id}>
            {cellsOf(one.strokes, beats).map((at, cell) => {
              const stroke = strokes.get(at);
              const on = picked?.id === one.id && picked.at === at;
              const level = stroke ? (height * stroke.velocity) / FULL : 0;
              return (
                <g key={at}>
                  <rect
                    role="checkbox"
                    aria-checked={stroke !== undefined}
                    aria-label={`${one.name} on beat ${at + 1}`}
                    aria-description={stroke && `velocity ${stroke.velocity}`}
                    tabIndex={stroke || cell % 4 === 0 ? 0 : -1}
                    x={x(at) + 1}
                    y={top}
                    width={width}
                    height={height}
                    rx={2}
                    fill="var(--band)"
                    stroke={on ? "var(--ink)" : "none"}
                    strokeWidth={2}
                    onFocus={() => stroke && onPick({ id: one.id, at })}
                    onPointerDown={(event) => down(event, one, at, stroke)}
                    onKeyDown={(event) => key(event, one, at, stroke)}
                  />
                  {stroke && (
                    <rect
                      pointerEvents="none"
                      x={x(at) + 1}
                      y={top + height - level}
                      width={width}
                      height={level}
                      rx={2}
                      fill={row === 0 ? "var(--kick)" : one.role === "sub" ? "var(--bass)" : "var(--soft)"}
                    />
                  )}
                </g>
              );
            })}
          </g>
        );
      })}
    </g>
  );
}
