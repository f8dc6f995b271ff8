import { type KeyboardEvent, type PointerEvent, useRef } from "react";
import { figure } from "../../controls/figures";
import { useWidth } from "../../plots/useWidth";
import { newGesture } from "../../queries/gesture";
import { atLevel, levelAt, type Point, withPoint } from "./drawn";

interface Props {
  /** What the points are of, for those who do not see them. */
  what?: string;
  /** How much of time is shown; a little more than the points without it. */
  spanMs?: number;
  /** How a time is told. */
  told?: (ms: number) => string;
  most?: number;
  points: Point[];
  onChange: (points: Point[], gesture?: string) => void;
}

const HEIGHT = 122;
const PAD = 8;
const FOOT = 12;
const MOST = 16;
const LEAST_SPAN_MS = 100;

const inMs = (ms: number) => figure(ms, "ms");

/** Points of an envelope: drag them, double-click to add, Delete to remove, arrow keys move the one in focus. */
export function DrawnPoints({ what = "Envelope", spanMs, told = inMs, most = MOST, points, onChange }: Props) {
  const [follow, width] = useWidth(500);
  const held = useRef<{ index: number; gesture: string } | null>(null);
  const span = spanMs ?? Math.max(LEAST_SPAN_MS, 1.25 * (points.at(-1)?.at_ms ?? 0));
  const x = (ms: number) => PAD + (ms / span) * (width - 2 * PAD);
  const y = (db: number) => PAD + levelAt(db) * (HEIGHT - FOOT - 2 * PAD);
  const from = (event: PointerEvent<SVGSVGElement>): Point => {
    const rect = event.currentTarget.getBoundingClientRect();
    const at_ms = ((event.clientX - rect.left - PAD) / (width - 2 * PAD)) * span;
    return { at_ms, level_db: atLevel((event.clientY - rect.top - PAD) / (HEIGHT - FOOT - 2 * PAD)) };
  };
  const key = (event: KeyboardEvent, index: number) => {
    const one = points[index];
    if (!one) return;
    const step = event.shiftKey ? 0.2 : 1;
    const moves: Record<string, Point> = {
      ArrowLeft: { ...one, at_ms: one.at_ms - 5 * step },
      ArrowRight: { ...one, at_ms: one.at_ms + 5 * step },
      ArrowUp: { ...one, level_db: one.level_db + step },
      ArrowDown: { ...one, level_db: one.level_db - step },
    };
    const moved = moves[event.key];
    if (moved) onChange(withPoint(points, index, moved));
    else if ((event.key === "Delete" || event.key === "Backspace") && points.length > 1)
      onChange(points.filter((_, at) => at !== index));
    else return;
    event.preventDefault();
  };
  const line = points.map((one) => `${x(one.at_ms).toFixed(1)} ${y(one.level_db).toFixed(1)}`).join("L");
  const first = points[0];
  const last = points.at(-1);
  return (
    <div ref={follow} className="my-2">
      <svg
        width={width}
        height={HEIGHT}
        role="group"
        aria-label={`${what} of ${points.length} points: ${points
          .map((one) => `${figure(one.level_db, "dB")} at ${told(one.at_ms)}`)
          .join(", ")}`}
        style={{ touchAction: "none", background: "var(--card)" }}
        onDoubleClick={(event) => {
          if (points.length >= most) return;
          const rect = event.currentTarget.getBoundingClientRect();
          const at_ms = Math.max(0, ((event.clientX - rect.left - PAD) / (width - 2 * PAD)) * span);
          const level_db = atLevel((event.clientY - rect.top - PAD) / (HEIGHT - FOOT - 2 * PAD));
          if (points.some((one) => Math.abs(one.at_ms - at_ms) < 0.1)) return;
          onChange([...points, { at_ms, level_db }].sort((one, other) => one.at_ms - other.at_ms));
        }}
        onPointerMove={(event) => {
          const now = held.current;
          if (now && event.buttons & 1) onChange(withPoint(points, now.index, from(event)), now.gesture);
        }}
        onPointerUp={() => {
          held.current = null;
        }}
      >
        {[0, -12, -24, -48].map((db) => (
          <g key={db}>
            <line x1={PAD} x2={width - PAD} y1={y(db)} y2={y(db)} stroke="var(--line)" />
            <text x={width - PAD} y={y(db) - 2} textAnchor="end">
              {figure(db, "dB")}
            </text>
          </g>
        ))}
        {points.map((one) => (
          <text
            key={one.at_ms}
            x={Math.max(24, Math.min(width - 60, x(one.at_ms)))}
            y={HEIGHT - 2}
            textAnchor="middle"
          >
            {told(one.at_ms)}
          </text>
        ))}
        {first && last && (
          <path
            d={`M${x(0)} ${y(first.level_db)}L${line}L${x(span)} ${y(last.level_db)}`}
            fill="none"
            stroke="var(--kick)"
            strokeWidth={2}
          />
        )}
        {points.map((one, index) => (
          <circle
            key={index}
            role="button"
            tabIndex={0}
            aria-label={`Point ${index + 1}: ${figure(one.level_db, "dB")} at ${told(one.at_ms)}`}
            cx={x(one.at_ms)}
            cy={y(one.level_db)}
            r={6}
            fill="var(--ink)"
            style={{ cursor: "grab" }}
            onPointerDown={(event) => {
              held.current = { index, gesture: newGesture() };
              event.currentTarget.ownerSVGElement?.setPointerCapture(event.pointerId);
            }}
            onKeyDown={(event) => key(event, index)}
          />
        ))}
      </svg>
    </div>
  );
}
