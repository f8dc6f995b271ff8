import { type KeyboardEvent, type PointerEvent, useEffect, useRef } from "react";
import type { Duck, DuckPicture } from "../api/types";
import { figure, pretty } from "../controls/figures";
import { snapped } from "../controls/noteValues";
import { newGesture } from "../queries/gesture";
import { useMost, useParameter } from "../queries/parameters";
import { DuckPins } from "./DuckPins";
import { type DuckLimits, gripsOf, moved, type Pin, placeName, strokeLine, withPoint } from "./duckShape";
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

const LEFT = 44;
const RIGHT = 14;
/** The two shapes above, the gain that makes room between them below, the time marks under both. */
const SHAPES = { top: 6, tall: 126 };
const GAIN = { top: 146, tall: 66 };
const FOOT = GAIN.top + GAIN.tall;
const HEIGHT = FOOT + 34;
const LEVEL_RANGE_DB = 40;
const RECOVERY = "recovery";
const DEPTH = "depth";
const KEYS: Record<string, [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, 1],
  ArrowDown: [0, -1],
};

/**
 * What is left of the target and what the kick needs, as two shapes that should meet; under them the gain that makes the room,
 * with marks on the time axis for its times and one on its own scale for its depth.
 */
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
  const span = width - LEFT - RIGHT;
  const driven = duck.drive === "compressor";
  const grips = driven ? [] : gripsOf(duck);
  const deepest = -Math.min(0, ...picture.gain_db, ...grips.map((one) => one.db));
  const highest = Math.max(0, ...picture.gain_db);
  const lowest = Math.max(12, Math.ceil((deepest + 2) / 6) * 6);
  const top = Math.ceil(highest / 3) * 3;
  const { start_ms: first, end_ms: last } = picture;
  const x = (ms: number) => LEFT + ((ms - first) / (last - first)) * span;
  const y = (db: number) => GAIN.top + (Math.min(lowest + top, Math.max(0, top - db)) / (lowest + top)) * GAIN.tall;
  const levelY = (db: number) =>
    SHAPES.top + (Math.min(LEVEL_RANGE_DB, Math.max(0, -db)) / LEVEL_RANGE_DB) * SHAPES.tall;
  const floorY = SHAPES.top + SHAPES.tall;
  const path = (at: number[], db: number[], scale: (db: number) => number, floor: number) =>
    at.map((ms, i) => `${x(ms).toFixed(1)} ${scale(db[i] ?? floor).toFixed(1)}`).join("L");
  const set = driven ? [] : strokeLine(duck).filter((one) => one.ms >= first && one.ms <= last);
  const own = set.map((one) => `${x(one.ms).toFixed(1)} ${y(one.db).toFixed(1)}`).join("L");
  const line = ahead && !driven && !several ? own : path(picture.gain_ms, picture.gain_db, y, 0);
  useEffect(() => {
    if (line) performance.mark("juglant-picture");
  }, [line]);
  const tone = picture.key === "bass" ? "kick" : "bass";
  const sound = (db: number[]) => path(picture.envelope_ms, db, levelY, -60);
  // What may be left while the kick is there: the target less what is lacking of its goal.
  const room = picture.envelope_ms
    .map((ms, i) => ({
      ms,
      ceiling: (picture.target_db[i] ?? -60) - (neededDb ?? deepest),
      heard: picture.heard_db[i] ?? -60,
    }))
    .filter(({ ms }) => ms >= picture.active_from_ms && ms <= picture.active_to_ms);
  const edge = room.map(({ ms, ceiling }) => `${x(ms).toFixed(1)} ${levelY(ceiling).toFixed(1)}`);
  const over = room.map(
    ({ ms, ceiling, heard }) => `${x(ms).toFixed(1)} ${levelY(Math.max(ceiling, heard)).toFixed(1)}`,
  );
  const needs =
    edge.length > 1
      ? `M${x(room[0]?.ms ?? 0)} ${SHAPES.top}L${edge.join("L")}L${x(room.at(-1)?.ms ?? 0)} ${SHAPES.top}Z`
      : "";
  const clash = edge.length > 1 ? `M${over.join("L")}L${[...edge].reverse().join("L")}Z` : "";
  const drawn = duck.drawn.length > 0;
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
    const db = top - ((event.clientY - rect.top - GAIN.top) / GAIN.tall) * (lowest + top);
    return [first + ((event.clientX - rect.left - LEFT) / span) * (last - first), db];
  };
  const drag = (event: PointerEvent) => {
    const [now, place] = [held.current, at(event)];
    if (!now || !place || !(event.buttons & 1)) return;
    const mark = grips.find((one) => one.id === now.grip);
    // Marks on the time axis move times alone, the one on the scale depth alone; points that were drawn go anywhere.
    if (now.grip === DEPTH) move("fall", grips.find((one) => one.id === "fall")?.ms ?? 0, place[1], now.gesture);
    else move(now.grip, place[0], mark && !drawn ? mark.db : place[1], now.gesture);
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
        <defs>
          <pattern id="duck-over" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
            <line x1="0" y1="0" x2="0" y2="6" stroke="var(--clash)" strokeWidth="2.4" />
          </pattern>
        </defs>
        <rect x={LEFT} y={SHAPES.top} width={span} height={SHAPES.tall} fill="var(--card)" stroke="var(--line)" />
        <rect x={LEFT} y={GAIN.top} width={span} height={GAIN.tall} fill="var(--card)" stroke="var(--line)" />
        {[0, -10, -20, -30].map((db) => (
          <text key={db} x={LEFT - 6} y={levelY(db) + (db === 0 ? 9 : 4)} textAnchor="end">
            {db === 0 ? "0 dB" : `−${-db}`}
          </text>
        ))}
        <path
          data-testid="target-heard"
          d={`M${x(first)} ${floorY}L${sound(picture.heard_db)}L${x(last)} ${floorY}Z`}
          fill={`var(--${tone})`}
          opacity={0.5}
        />
        <path data-testid="kick-needs" d={needs} fill={`var(--${picture.key})`} opacity={0.3} />
        <path
          d={edge.length > 1 ? `M${edge.join("L")}` : ""}
          fill="none"
          stroke={`var(--${picture.key})`}
          strokeWidth={2}
        />
        <path data-testid="over-the-room" d={clash} fill="url(#duck-over)" />
        <path d={`M${sound(picture.target_db)}`} fill="none" stroke={`var(--${tone})`} strokeDasharray="3 3" />
        <path
          d={`M${sound(picture.kick_db)}`}
          fill="none"
          stroke={`var(--${picture.key})`}
          strokeWidth={0.8}
          opacity={0.7}
        />
        {Array.from({ length: (lowest + top) / 3 + 1 }, (_, i) => top - 3 * i).map((db) => (
          <g key={db}>
            <line x1={LEFT} x2={LEFT + span} y1={y(db)} y2={y(db)} stroke="var(--line)" strokeWidth={0.7} />
            {(lowest + top <= 12 || db % 6 === 0) && (
              <text x={LEFT - 6} y={y(db) + 4} textAnchor="end">
                {db > 0 ? `+${db}` : db === 0 ? "0 dB" : `−${-db}`}
              </text>
            )}
          </g>
        ))}
        {ticks.map((beat) => (
          <g key={beat}>
            <line x1={x(beat * beatMs)} x2={x(beat * beatMs)} y1={SHAPES.top} y2={FOOT} stroke="var(--rung)" />
            <text x={x(beat * beatMs)} y={HEIGHT - 3} textAnchor={beat === 1 ? "end" : "middle"}>
              {placeName(beat, duck)}
            </text>
          </g>
        ))}
        {picture.notes.map((note) => (
          <g key={`${note.name}${note.start_ms}`}>
            <rect
              x={x(note.start_ms)}
              y={floorY + 3}
              width={Math.max(2, x(note.end_ms) - x(note.start_ms))}
              height={6}
              fill="var(--bass)"
              opacity={note.kept ? 1 : 0.55}
            />
            <text x={x(note.start_ms) + 4} y={floorY - 5} style={{ fill: "var(--bass-text)" }}>
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
        <line
          x1={x(picture.recovery_ms)}
          x2={x(picture.recovery_ms)}
          y1={SHAPES.top}
          y2={FOOT}
          stroke="var(--ink)"
          strokeDasharray="4 2"
        />
        <text x={x(picture.recovery_ms) - 5} y={SHAPES.top + 14} textAnchor="end" className="strong">
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
            x={x(picture.recovery_ms) - 12}
            y={SHAPES.top + 2}
            width={24}
            height={24}
            fill="transparent"
            style={{ cursor: "ew-resize" }}
            onPointerDown={take(RECOVERY)}
            onKeyDown={step(RECOVERY, picture.recovery_ms, 0)}
          />
        )}
        {duck.on && <DuckPins pins={pins} x={x} y={y} right={LEFT + span} />}
        {duck.on && !locked && !drawn && grips.length > 0 && (
          <g
            data-testid="grip-depth"
            role="slider"
            tabIndex={0}
            aria-label="Depth of the duck"
            aria-valuenow={Math.round(duck.depth_db)}
            aria-valuetext={figure(-duck.depth_db, "dB")}
            style={{ cursor: "ns-resize" }}
            onPointerDown={take(DEPTH)}
            onKeyDown={step("fall", grips.find((one) => one.id === "fall")?.ms ?? 0, -duck.depth_db)}
          >
            <rect x={LEFT + span - 12} y={y(-duck.depth_db) - 12} width={24} height={24} fill="transparent" />
            <path d={`M${LEFT + span} ${y(-duck.depth_db)}l9 -6v12z`} fill="var(--ink)" />
          </g>
        )}
        {duck.on &&
          !locked &&
          grips.map((one) => (
            <g
              key={one.id}
              data-testid={`grip-${one.id}`}
              role="slider"
              tabIndex={0}
              aria-label={`Curve ${one.name}`}
              aria-valuenow={Math.round(one.ms)}
              aria-valuetext={`${figure(one.ms, "ms")}, ${figure(one.db, "dB")}`}
              style={{ cursor: drawn ? "move" : "ew-resize" }}
              onPointerDown={take(one.id)}
              onKeyDown={step(one.id, one.ms, one.db)}
            >
              {drawn ? (
                <>
                  <rect x={x(one.ms) - 10} y={y(one.db) - 12} width={20} height={24} fill="transparent" />
                  <rect x={x(one.ms) - 2} y={y(one.db) - 8} width={4} height={16} fill="var(--ink)" />
                </>
              ) : (
                <>
                  <title>{`${one.name} ${figure(one.ms, "ms")}`}</title>
                  <rect x={x(one.ms) - 8} y={FOOT - 2} width={16} height={24} fill="transparent" />
                  <line x1={x(one.ms)} x2={x(one.ms)} y1={y(one.db)} y2={FOOT} stroke="var(--ink)" strokeWidth={1} />
                  <path d={`M${x(one.ms)} ${FOOT}l6 10h-12z`} fill="var(--ink)" />
                </>
              )}
            </g>
          ))}
      </svg>
      <div className="small soft">
        Above: <span className={`${tone}-text`}>what is left of the {name}, dashed un-ducked</span>,{" "}
        <span className={`${picture.key}-text`}>what the {picture.key} needs, thin its level</span>; they should meet.
        Below: <span className="room-text">{driven ? "the compressor's gain" : "the gain"}</span>
        {drawn && "; double-click adds a point, Delete takes the one in focus away"}
      </div>
    </div>
  );
}
