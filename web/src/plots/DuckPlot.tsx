import { type PointerEvent, useRef } from "react";
import type { Duck, DuckPicture } from "../api/types";
import { figure, pretty } from "../controls/figures";
import { newGesture } from "../queries/gesture";
import { useParameter } from "../queries/parameters";
import { useWidth } from "./useWidth";

interface Props {
  picture: DuckPicture;
  duck: Duck;
  beatMs: number;
  /** Whose gain it is. */
  name: string;
  /** Another gain beside it: a compressor's. */
  other?: { gain_ms: number[]; gain_db: number[] } | null;
  onChange: (change: Partial<Duck>, gesture: string) => void;
}

type Grip = "fall" | "hold" | "back";

const HEIGHT = 230;
const LEFT = 40;
const TOP = 8;
const BOTTOM = 18;
const KICK_RANGE_DB = 40;

/** Gain over one stroke with three handles; the kick's envelope below; bass notes and recovery point on top. */
export function DuckPlot({ picture, duck, beatMs, name, other, onChange }: Props) {
  const [follow, width] = useWidth(840);
  const svg = useRef<SVGSVGElement>(null);
  const held = useRef<{ grip: Grip; gesture: string } | null>(null);
  const limits = {
    depth: useParameter("Duck", "depth_db"),
    hold: useParameter("Duck", "hold_ms"),
    back: useParameter("Duck", "return_ms"),
    fall: useParameter("Duck", "fall_ms"),
    ahead: useParameter("Duck", "lookahead_ms"),
  };
  const span = width - LEFT - 10;
  const tall = HEIGHT - TOP - BOTTOM;
  const lowest = Math.max(12, Math.ceil((duck.depth_db + 2) / 6) * 6);
  const { start_ms: first, end_ms: last } = picture;
  const x = (ms: number) => LEFT + ((ms - first) / (last - first)) * span;
  const y = (db: number) => TOP + (Math.min(lowest, Math.max(0, -db)) / lowest) * tall;
  const kickY = (db: number) => TOP + (Math.min(KICK_RANGE_DB, Math.max(0, -db)) / KICK_RANGE_DB) * tall;
  const line = picture.gain_ms
    .map((ms, i) => `${x(ms).toFixed(1)} ${y(picture.gain_db[i] ?? 0).toFixed(1)}`)
    .join("L");
  const kick = picture.envelope_ms
    .map((ms, i) => `${x(ms).toFixed(1)} ${kickY(picture.kick_db[i] ?? -60).toFixed(1)}`)
    .join("L");
  const holdEnd = Math.max(duck.hold_ms, duck.fall_ms - duck.lookahead_ms);
  const grips: [Grip, number, number][] = [
    ["fall", duck.fall_ms - duck.lookahead_ms, -duck.depth_db],
    ["hold", holdEnd, -duck.depth_db],
    ["back", holdEnd + duck.return_ms, 0],
  ];
  const clamp = (value: number, range: { minimum: number; maximum: number }) =>
    Number(Math.min(range.maximum, Math.max(range.minimum, value)).toFixed(1));
  const drag = (event: PointerEvent) => {
    const now = held.current;
    const rect = svg.current?.getBoundingClientRect();
    if (!now || !rect || !(event.buttons & 1)) return;
    const ms = first + ((event.clientX - rect.left - LEFT) / span) * (last - first);
    const db = ((event.clientY - rect.top - TOP) / tall) * lowest;
    const depth = { depth_db: clamp(db, limits.depth) };
    if (now.grip === "hold") onChange({ ...depth, hold_ms: clamp(ms, limits.hold) }, now.gesture);
    else if (now.grip === "back") onChange({ return_ms: clamp(ms - holdEnd, limits.back) }, now.gesture);
    else onChange({ ...depth, lookahead_ms: clamp(duck.fall_ms - ms, limits.ahead) }, now.gesture);
  };
  const ticks = [0, 0.25, 0.5, 0.75, 1].filter((beat) => beat * beatMs <= last + 1);
  return (
    <div ref={follow}>
      <svg
        ref={svg}
        width={width}
        height={HEIGHT}
        role="group"
        aria-label={`Duck curve: down ${figure(duck.depth_db, "dB")}, held ${figure(duck.hold_ms, "ms")}, back in ${figure(duck.return_ms, "ms")}; recovery point ${figure(picture.recovery_ms, "ms")}`}
        style={{ touchAction: "none" }}
        onPointerMove={drag}
        onPointerUp={() => {
          held.current = null;
        }}
      >
        <rect x={LEFT} y={TOP} width={span} height={tall} fill="var(--card)" stroke="var(--line)" />
        <path d={`M${x(first)} ${TOP + tall}L${kick}L${x(last)} ${TOP + tall}Z`} fill="var(--kick)" opacity={0.25} />
        {Array.from({ length: lowest / 3 + 1 }, (_, i) => -3 * i).map((db) => (
          <g key={db}>
            <line x1={LEFT} x2={LEFT + span} y1={y(db)} y2={y(db)} stroke="var(--line)" strokeWidth={0.7} />
            {(lowest <= 15 || db % 6 === 0) && (
              <text x={LEFT - 6} y={y(db) + 3.5} textAnchor="end">
                {db === 0 ? "0" : `−${-db}`}
              </text>
            )}
          </g>
        ))}
        {ticks.map((beat) => (
          <g key={beat}>
            <line x1={x(beat * beatMs)} x2={x(beat * beatMs)} y1={TOP} y2={TOP + tall} stroke="var(--rung)" />
            <text x={x(beat * beatMs)} y={HEIGHT - 4} textAnchor={beat === 1 ? "end" : "middle"}>
              {beat === 0 ? (duck.key.kind === "kick" ? "kick" : "key") : beat === 1 ? "next beat" : `${beat} beat`}
            </text>
          </g>
        ))}
        <path
          d={`M${x(picture.active_from_ms)} ${TOP}V${y(-duck.depth_db)}H${x(picture.active_to_ms)}V${TOP}`}
          fill="none"
          stroke="var(--ink)"
          strokeDasharray="2 3"
        />
        {picture.notes.map((note) => (
          <g key={`${note.name}${note.start_ms}`}>
            <rect
              x={x(note.start_ms)}
              y={TOP + 3}
              width={Math.max(2, x(note.end_ms) - x(note.start_ms))}
              height={7}
              fill="var(--bass)"
              opacity={note.kept ? 1 : 0.55}
            />
            <text x={x(note.start_ms) + 4} y={TOP + 22} style={{ fill: "var(--bass-text)" }}>
              {pretty(note.name)}
              {note.kept ? ", kept" : ""}
            </text>
          </g>
        ))}
        {duck.on && <path d={`M${x(first)} ${TOP}L${line}L${x(last)} ${TOP}Z`} fill="var(--room)" opacity={0.22} />}
        <path d={`M${line}`} fill="none" stroke="var(--room)" strokeWidth={2.5} />
        {other && (
          <path
            data-testid="other-gain"
            d={`M${other.gain_ms
              .map((ms, i) => [ms, other.gain_db[i] ?? 0] as const)
              .filter(([ms]) => ms >= first && ms <= last)
              .map(([ms, db]) => `${x(ms).toFixed(1)} ${y(db).toFixed(1)}`)
              .join("L")}`}
            fill="none"
            stroke="var(--ink)"
            strokeWidth={1.6}
            strokeDasharray="6 3"
          />
        )}
        <line x1={x(picture.recovery_ms)} x2={x(picture.recovery_ms)} y1={TOP} y2={TOP + tall} stroke="var(--ink)" />
        <text x={x(picture.recovery_ms) - 5} y={TOP + tall - 6} textAnchor="end" className="strong">
          back by here
        </text>
        {duck.on &&
          grips.map(([grip, ms, db]) => (
            <rect
              key={grip}
              data-testid={`grip-${grip}`}
              x={x(ms) - 6}
              y={y(db) - 6}
              width={12}
              height={12}
              transform={`rotate(45 ${x(ms)} ${y(db)})`}
              fill="var(--paper)"
              stroke="var(--room)"
              strokeWidth={2.5}
              style={{ cursor: "move" }}
              onPointerDown={(event) => {
                svg.current?.setPointerCapture(event.pointerId);
                held.current = { grip, gesture: newGesture() };
              }}
            />
          ))}
      </svg>
      <div className="small soft">
        <span className="room-text">curve on the {name}</span>,{" "}
        <span className="kick-text">kick in the low band</span>, dotted: the room it needs
      </div>
    </div>
  );
}
