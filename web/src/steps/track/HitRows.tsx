import { type KeyboardEvent, type PointerEvent, useRef, useState } from "react";
import { KICK } from "../../api/parts";
import type { Part, Stroke } from "../../api/types";
import { barBeat } from "../../plots/axis";
import { useTimeAxis } from "../../plots/timeAxis";
import { newGesture } from "../../queries/gesture";
import { FULL_STRENGTH as FULL, strokeAt } from "../hits/pads";
import { CELL } from "./grid";

interface Props {
  hits: Part[];
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

export const HIT_ROW = 24;
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
  /** Where it was pressed, and that the hand goes along the row: it writes, or takes away what it passes. */
  x: number;
  along: boolean;
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
  /** Of each row one cell is reached by Tab, the one that was looked at last. */
  const [stops, setStops] = useState<Record<string, number>>({});
  const axis = useTimeAxis();
  const width = Math.max(2, x(CELL) - x(0) - 2);
  const set = (id: string, at: number, change: Partial<Stroke>, gesture?: string) =>
    onStrokes(id, "Stroke", (all) => all.map((one) => (one.at_beats === at ? { ...one, ...change } : one)), gesture);
  const add = (one: Part, at: number) => {
    const velocity = one.id === "kick" ? FULL : USUAL;
    onStrokes(one.id, `${one.name} pattern`, (all) => [...all, strokeAt(at, velocity)]);
    onPick({ id: one.id, at });
    return velocity;
  };
  const remove = (one: Part, at: number) => {
    onStrokes(one.id, `${one.name} pattern`, (all) => all.filter((stroke) => stroke.at_beats !== at));
    onPick(null);
  };
  const down = (event: PointerEvent<SVGElement>, one: Part, at: number, stroke: Stroke | undefined) => {
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
      x: event.clientX,
      along: false,
    };
  };
  const move = (event: PointerEvent) => {
    const now = held.current;
    if (!now || !(event.buttons & 1)) return;
    const [across, px] = [event.clientX - now.x, now.y - event.clientY];
    if (!now.moved && Math.abs(across) > width && Math.abs(across) > Math.abs(px)) now.along = true;
    if (now.along) return along(now, event.clientX);
    if (!now.moved && Math.abs(px) < MOVES_FROM_PX) return;
    now.moved = true;
    set(now.id, now.at, { velocity: clamped(now.velocity + px) }, now.gesture);
  };
  const along = (now: Held, clientX: number) => {
    now.moved = true;
    const to = now.at + Math.round((clientX - now.x) / (x(CELL) - x(0))) * CELL;
    const [first, last] = [Math.max(0, Math.min(now.at, to)), Math.min(beats - CELL, Math.max(now.at, to))];
    const passed = (at: number) => at >= first && at <= last;
    const cells = Array.from({ length: Math.round((last - first) / CELL) + 1 }, (_, i) => first + i * CELL);
    const one = hits.find((each) => each.id === now.id);
    onStrokes(
      now.id,
      `${one?.name} pattern`,
      (all) => {
        if (now.was) return all.filter((stroke) => !passed(stroke.at_beats));
        const there = new Set(all.map((stroke) => stroke.at_beats));
        return [...all, ...cells.filter((at) => !there.has(at)).map((at) => strokeAt(at, now.velocity))];
      },
      now.gesture,
    );
  };
  const up = () => {
    const now = held.current;
    held.current = null;
    const one = hits.find((each) => each.id === now?.id);
    if (now?.was && !now.moved && one) remove(one, now.at);
  };
  const key = (event: KeyboardEvent, one: Part, at: number, stroke: Stroke | undefined) => {
    const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (step) {
      const cells = [
        ...(event.currentTarget.parentElement?.parentElement?.querySelectorAll<SVGElement>("[role=checkbox]") ?? []),
      ];
      const next = cells.sort((a, b) => Number(a.dataset.at) - Number(b.dataset.at));
      const target = next[next.indexOf(event.currentTarget as SVGElement) + step];
      target?.focus();
      event.preventDefault();
      return;
    }
    const by = { ArrowUp: VELOCITY_STEP, ArrowDown: -VELOCITY_STEP }[event.key];
    if (event.key === "Enter") stroke ? remove(one, at) : add(one, at);
    else if (stroke && (event.key === "Delete" || event.key === "Backspace")) remove(one, at);
    else if (stroke && by) set(one.id, at, { velocity: clamped(stroke.velocity + (event.shiftKey ? by / 8 : by)) });
    else return;
    event.preventDefault();
  };
  return (
    <g onPointerMove={move} onPointerUp={up}>
      {hits.map((one, row) => {
        const strokes = new Map(one.strokes.map((stroke) => [stroke.at_beats, stroke]));
        const top = row * HIT_ROW + 3;
        const height = HIT_ROW - 5;
        const kept = stops[one.id] ?? axis.from;
        const stop = kept >= axis.from && kept < axis.to ? kept : axis.from;
        return (
          <g key={one.id} opacity={one.muted ? 0.45 : 1}>
            {cellsOf(one.strokes, beats)
              .filter((at) => at >= axis.from && at < axis.to)
              .map((at) => {
                const stroke = strokes.get(at);
                const on = picked?.id === one.id && picked.at === at;
                const level = stroke ? (height * stroke.velocity) / FULL : 0;
                return (
                  <g key={at}>
                    <rect
                      role="checkbox"
                      aria-checked={stroke !== undefined}
                      aria-label={`${one.name} at ${barBeat(at)}`}
                      data-at={at}
                      aria-description={stroke && `velocity ${stroke.velocity}`}
                      tabIndex={at === stop ? 0 : -1}
                      x={x(at) + 1}
                      y={top}
                      width={width}
                      height={height}
                      rx={2}
                      fill="var(--band)"
                      stroke={on ? "var(--ink)" : "none"}
                      strokeWidth={2}
                      onFocus={() => {
                        setStops((now) => ({ ...now, [one.id]: at }));
                        if (stroke) onPick({ id: one.id, at });
                      }}
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
                        fill={one.id === KICK ? "var(--kick)" : one.role === "sub" ? "var(--bass)" : "var(--soft)"}
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
