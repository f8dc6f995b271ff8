import { type KeyboardEvent, type PointerEvent, useEffect, useRef } from "react";
import type { Duck, DuckPicture } from "../api/types";
import { figure, pretty } from "../controls/figures";
import { snapped } from "../controls/noteValues";
import { newGesture } from "../queries/gesture";
import { useMost, useParameter } from "../queries/parameters";
import { DuckPins } from "./DuckPins";
import { type DuckLimits, gripsOf, moved, type Pin, strokeLine, withPoint } from "./duckShape";
import { useWidth } from "./useWidth";

interface Props {
  picture: DuckPicture;
  duck: Duck;
  beatMs: number;
  /** Whose gain it is. */
  name: string;
  /** Another gain beside it: a compressor's. */
  other?: { gain_ms: number[]; gain_db: number[] } | null;
  /** How far it has to go down for its goal, as measured; null where there is no such goal. */
  neededDb: number | null;
  pins: Pin[];
  /** Times snap to note values. */
  snap: boolean;
  /** The hand is ahead of what was measured: the curve is drawn as it is set. */
  ahead: boolean;
  /** It is not the only one of its part: its own line is drawn beside what all of them do together. */
  several: boolean;
  /** Shown and not to be moved: another part's curve. */
  locked: boolean;
  onChange: (change: Partial<Duck>, gesture: string) => void;
}

const HEIGHT = 240;
const LEFT = 40;
const TOP = 8;
const BOTTOM = 18;
const KICK_RANGE_DB = 40;
const RECOVERY = "recovery";
const KEYS: Record<string, [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, 1],
  ArrowDown: [0, -1],
};

/** Gain over one stroke with points to drag; the kick's envelope below; notes, recovery point and guards where they are. */
export function DuckPlot({
  picture,
  duck,
  beatMs,
  name,
  other,
  neededDb,
  pins,
  snap,
  ahead,
  several,
  locked,
  onChange,
}: Props) {
  const [follow, width] = useWidth(840);
  const svg = useRef<SVGSVGElement>(null);
  const held = useRef<{ grip: string; gesture: string } | null>(null);
  const limits: DuckLimits = {
    depth: useParameter("Duck", "depth_db"),
    hold: useParameter("Duck", "hold_ms"),
    back: useParameter("Duck", "return_ms"),
    fall: useParameter("Duck", "fall_ms"),
    ahead: useParameter("Duck", "lookahead_ms"),
    at: useParameter("CurvePoint", "at_ms"),
  };
  const most = useMost("Duck", "drawn");
  const span = width - LEFT - 10;
  const tall = HEIGHT - TOP - BOTTOM;
  const driven = duck.drive === "compressor";
  const grips = driven ? [] : gripsOf(duck);
  const deepest = -Math.min(0, ...picture.gain_db, ...grips.map((one) => one.db));
  const highest = Math.max(0, ...picture.gain_db);
  const lowest = Math.max(12, Math.ceil((deepest + 2) / 6) * 6);
  const top = Math.ceil(highest / 3) * 3;
  const { start_ms: first, end_ms: last } = picture;
  const x = (ms: number) => LEFT + ((ms - first) / (last - first)) * span;
  const y = (db: number) => TOP + (Math.min(lowest + top, Math.max(0, top - db)) / (lowest + top)) * tall;
  const kickY = (db: number) => TOP + (Math.min(KICK_RANGE_DB, Math.max(0, -db)) / KICK_RANGE_DB) * tall;
  const path = (at: number[], db: number[], scale: (db: number) => number, floor: number) =>
    at.map((ms, i) => `${x(ms).toFixed(1)} ${scale(db[i] ?? floor).toFixed(1)}`).join("L");
  const set = driven ? [] : strokeLine(duck).filter((one) => one.ms >= first && one.ms <= last);
  const own = set.map((one) => `${x(one.ms).toFixed(1)} ${y(one.db).toFixed(1)}`).join("L");
  const line = ahead && !driven && !several ? own : path(picture.gain_ms, picture.gain_db, y, 0);
  useEffect(() => {
    if (line) performance.mark("juglant-picture");
  }, [line]);
  const tone = picture.key === "bass" ? "kick" : "bass";
  const kick = path(picture.envelope_ms, picture.kick_db, kickY, -60);
  const sound = (db: number[]) => path(picture.envelope_ms, db, kickY, -60);
  const snapMs = (ms: number) => (snap ? snapped(ms / beatMs) * beatMs : ms);
  const move = (grip: string, ms: number, db: number, gesture: string) => {
    if (grip === RECOVERY) {
      const beats = Number((snapMs(Math.max(ms, 0.05 * beatMs)) / beatMs).toFixed(3));
      onChange({ recovery_beats: Math.max(0.05, beats) }, gesture);
    } else onChange(moved(duck, grip, snapMs(ms), db, limits), gesture);
  };
  const at = (event: { clientX: number; clientY: number }): [number, number] | null => {
    const rect = svg.current?.getBoundingClientRect();
    if (!rect) return null;
    const db = top - ((event.clientY - rect.top - TOP) / tall) * (lowest + top);
    return [first + ((event.clientX - rect.left - LEFT) / span) * (last - first), db];
  };
  const drag = (event: PointerEvent) => {
    const [now, place] = [held.current, at(event)];
    if (now && place && event.buttons & 1) move(now.grip, ...place, now.gesture);
  };
  const take = (grip: string) => (event: PointerEvent) => {
    svg.current?.setPointerCapture(event.pointerId);
    held.current = { grip, gesture: newGesture() };
  };
  const step = (grip: string, ms: number, db: number) => (event: KeyboardEvent) => {
    const way = KEYS[event.key];
    if (event.key === "Delete" && grip.startsWith("point-") && duck.drawn.length > 2) {
      const index = Number(grip.slice(6));
      if (index > 0 && index < duck.drawn.length - 1)
        onChange({ drawn: duck.drawn.filter((_, i) => i !== index) }, newGesture());
    } else if (way) {
      const fine = event.shiftKey ? 0.1 : 1;
      move(grip, ms + way[0] * fine * (snap ? beatMs / 12 : 1), db + 0.5 * way[1] * fine, newGesture());
    } else return;
    event.preventDefault();
  };
  const ticks = [0, 0.25, 0.5, 0.75, 1].filter((beat) => beat * beatMs <= last + 1);
  return (
    <div ref={follow}>
      <svg
        ref={svg}
        width={width}
        height={HEIGHT}
        role="group"
        aria-label={`Duck curve: down ${figure(deepest, "dB")}, ${grips.map((one) => `${one.name} ${figure(one.ms, "ms")}`).join(", ")}; recovery point ${figure(picture.recovery_ms, "ms")}`}
        style={{ touchAction: "none" }}
        onPointerMove={drag}
        onPointerUp={() => {
          held.current = null;
        }}
        onDoubleClick={(event) => {
          const place = at(event);
          if (place && duck.drawn.length > 0 && !locked)
            onChange({ drawn: withPoint(duck.drawn, snapMs(place[0]), place[1], most, limits) }, newGesture());
        }}
      >
        <rect x={LEFT} y={TOP} width={span} height={tall} fill="var(--card)" stroke="var(--line)" />
        <path
          d={`M${x(first)} ${TOP + tall}L${kick}L${x(last)} ${TOP + tall}Z`}
          fill={`var(--${picture.key})`}
          opacity={0.25}
        />
        <path
          data-testid="target-heard"
          d={`M${x(first)} ${TOP + tall}L${sound(picture.heard_db)}L${x(last)} ${TOP + tall}Z`}
          fill={`var(--${tone})`}
          opacity={0.35}
        />
        <path d={`M${sound(picture.target_db)}`} fill="none" stroke={`var(--${tone})`} strokeDasharray="3 3" />
        {Array.from({ length: (lowest + top) / 3 + 1 }, (_, i) => top - 3 * i).map((db) => (
          <g key={db}>
            <line x1={LEFT} x2={LEFT + span} y1={y(db)} y2={y(db)} stroke="var(--line)" strokeWidth={0.7} />
            {(lowest + top <= 15 || db % 6 === 0) && (
              <text x={LEFT - 6} y={y(db) + 3.5} textAnchor="end">
                {db > 0 ? `+${db}` : db === 0 ? "0" : `−${-db}`}
              </text>
            )}
          </g>
        ))}
        {ticks.map((beat) => (
          <g key={beat}>
            <line x1={x(beat * beatMs)} x2={x(beat * beatMs)} y1={TOP} y2={TOP + tall} stroke="var(--rung)" />
            <text x={x(beat * beatMs)} y={HEIGHT - 4} textAnchor={beat === 1 ? "end" : "middle"}>
              {beat === 0
                ? duck.key.kind === "kick"
                  ? "kick"
                  : duck.key.kind === "notes"
                    ? "note"
                    : "key"
                : beat === 1
                  ? "next beat"
                  : `${beat} beat`}
            </text>
          </g>
        ))}
        <path
          d={`M${x(picture.active_from_ms)} ${y(0)}V${y(-(neededDb ?? deepest))}H${x(picture.active_to_ms)}V${y(0)}`}
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
            <text x={x(note.start_ms) + 4} y={TOP + 24} style={{ fill: "var(--bass-text)" }}>
              {[pretty(note.name), note.kept ? "kept" : ""].filter(Boolean).join(", ")}
            </text>
          </g>
        ))}
        {duck.on && line && (
          <path d={`M${x(first)} ${y(0)}L${line}L${x(last)} ${y(0)}Z`} fill="var(--room)" opacity={0.22} />
        )}
        {line && <path d={`M${line}`} fill="none" stroke="var(--room)" strokeWidth={2.5} />}
        {several && own && <path d={`M${own}`} fill="none" stroke="var(--room)" strokeWidth={1} />}
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
        {!locked && (
          <rect
            data-testid="grip-recovery"
            role="slider"
            tabIndex={0}
            aria-label="Recovery point"
            aria-valuenow={Math.round(picture.recovery_ms)}
            aria-valuetext={figure(picture.recovery_ms, "ms")}
            x={x(picture.recovery_ms) - 5}
            y={TOP + tall - 22}
            width={10}
            height={20}
            fill="transparent"
            style={{ cursor: "ew-resize" }}
            onPointerDown={take(RECOVERY)}
            onKeyDown={step(RECOVERY, picture.recovery_ms, 0)}
          />
        )}
        {duck.on && <DuckPins pins={pins} x={x} y={y} right={LEFT + span} />}
        {duck.on &&
          !locked &&
          grips.map((one) => (
            <rect
              key={one.id}
              data-testid={`grip-${one.id}`}
              role="slider"
              tabIndex={0}
              aria-label={`Curve ${one.name}`}
              aria-valuenow={Math.round(one.ms)}
              aria-valuetext={`${figure(one.ms, "ms")}, ${figure(one.db, "dB")}`}
              x={x(one.ms) - 6}
              y={y(one.db) - 6}
              width={12}
              height={12}
              transform={`rotate(45 ${x(one.ms)} ${y(one.db)})`}
              fill="var(--paper)"
              stroke="var(--room)"
              strokeWidth={2.5}
              style={{ cursor: "move" }}
              onPointerDown={take(one.id)}
              onKeyDown={step(one.id, one.ms, one.db)}
            />
          ))}
      </svg>
      <div className="small soft">
        <span className="room-text">
          {driven ? "compressor's gain" : "curve"} on the {name}
        </span>
        , <span className={`${picture.key}-text`}>{picture.key} in the low band</span>,{" "}
        <span className={`${tone}-text`}>{name} as heard, dashed un-ducked</span>, dotted: the room it needs
        {duck.drawn.length > 0 && "; double-click adds a point, Delete takes the one in focus away"}
      </div>
    </div>
  );
}
