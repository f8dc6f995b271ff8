import { useQuery } from "@tanstack/react-query";
import { type KeyboardEvent, type PointerEvent, useEffect, useRef, useState } from "react";
import type { Command, ShareCurve } from "../../api/types";
import { figure } from "../../controls/figures";
import { Pending } from "../../controls/Pending";
import { useWidth } from "../../plots/useWidth";
import { useEditor } from "../../queries/editor";
import { sharesQuery } from "../../queries/queries";
import { useRested } from "../../queries/useRested";

/** Carve and duck planned for one share of the carve. */
const planned = (share_pct: number): Command => ({ kind: "share", share_pct });

type Point = ShareCurve["points"][number];

const TOP = 8;
/** Where its rows are named: beside them, or over them where it is narrow. */
const WIDE = { left: 172, right: 92, row: 26, over: false };
const NARROW = { left: 8, right: 66, row: 28, over: true };
const NARROW_PX = 480;
const SCALE = 26;
const STEP_PCT = 5;
/** A hand on the keys has rested after this. */
const RESTED_MS = 700;

/** What is drawn along the share: its name, where it is in a point, its unit, and how far its row reaches. */
const ROWS: { name: string; of: (one: Point) => number | null; unit: string; least: number; sign?: true }[] = [
  { name: "Carve clears to", of: (one) => one.carved_db, unit: "dB", least: 4, sign: true },
  { name: "Low against middle", of: (one) => one.low_middle_db, unit: "dB", least: 6, sign: true },
  { name: "Notes further apart", of: (one) => one.spread_lu, unit: "LU", least: 2, sign: true },
  { name: "Loudness lost", of: (one) => one.lost_lu, unit: "LU", least: 4 },
  { name: "Depth of the duck", of: (one) => one.duck_db, unit: "dB", least: 12 },
];

const between = (points: Point[], pct: number, of: (one: Point) => number | null) => {
  const at = (one: Point) => of(one) ?? 0;
  const next = points.findIndex((one) => one.share_pct >= pct);
  const high = points[next];
  if (!high) return at(points[points.length - 1] as Point);
  const low = points[Math.max(0, next - 1)] as Point;
  const share = high === low ? 0 : (pct - low.share_pct) / (high.share_pct - low.share_pct);
  return at(low) * (1 - share) + at(high) * share;
};

/** One ruler from duck alone to carve alone, with everything that hangs on it drawn along it. */
export function Shares({ yields }: { yields: "kick" | "bass" }) {
  const editor = useEditor();
  const { settled } = editor;
  const rested = useRested();
  const found = useQuery({ ...sharesQuery(settled.id, settled.revision), enabled: rested });
  const [last, setLast] = useState<ShareCurve | null>(null);
  useEffect(() => {
    if (found.data !== undefined) setLast(found.data);
  }, [found.data]);
  const curve = found.data === undefined ? last : found.data;
  if (found.isError) return <Pending found={found} doing="" failed="The shares could not be weighed" />;
  return (
    <section aria-label="Share of the carve">
      <div className="bench-head">
        <h3>Share of the carve</h3>
        {curve && (
          <button
            type="button"
            className="btn btn-plain ms-auto"
            disabled={editor.busy !== null}
            title={`A duck lasts ${figure(curve.active_pct, "%")} of the time, a cut all of it`}
            onClick={() => editor.send(planned(Math.round(curve.cheapest_pct)), "Share of the carve")}
          >
            Cheapest: {Math.round(curve.cheapest_pct)} %
          </button>
        )}
      </div>
      <div className="small soft">
        {curve
          ? `of the ${figure(Math.abs(curve.goal_db - curve.before_db), "dB")} that are lacking; ducking takes the rest`
          : found.data === null
            ? "nothing is lacking that could be shared"
            : "weighing every share…"}
      </div>
      {curve && (
        <Plot
          curve={curve}
          stored={yields === "kick" ? editor.track.carve.kick_share_pct : editor.track.carve.share_pct}
          fresh={found.data !== undefined}
        />
      )}
    </section>
  );
}

function Plot({ curve, stored, fresh }: { curve: ShareCurve; stored: number; fresh: boolean }) {
  const editor = useEditor();
  const [follow, width] = useWidth(840);
  const [inHand, setInHand] = useState<number | null>(null);
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  const { points } = curve;
  // A kick has no notes that could come apart.
  const rows = ROWS.filter((row) => points.every((one) => row.of(one) !== null));
  const share = inHand ?? stored;
  useEffect(() => () => clearTimeout(timer.current), []);
  // What was asked for has come: the hand lets go.
  // biome-ignore lint/correctness/useExhaustiveDependencies: only when what is stored changes
  useEffect(() => setInHand(null), [stored]);
  const form = width < NARROW_PX ? NARROW : WIDE;
  const span = width - form.left - form.right;
  const x = (pct: number) => form.left + (pct / 100) * span;
  const foot = TOP + rows.length * form.row;
  const height = foot + SCALE;
  const take = (pct: number) => {
    clearTimeout(timer.current);
    if (pct === stored && editor.track.carve.aim > 0) setInHand(null);
    else editor.send(planned(pct), `Share of the carve ${pct} %`);
  };
  const hold = (pct: number) => setInHand(Math.min(100, Math.max(0, Math.round(pct))));
  const drag = (event: PointerEvent<HTMLDivElement>) => {
    const rect = event.currentTarget.getBoundingClientRect();
    hold(((event.clientX - rect.left - form.left) / span) * 100);
  };
  const key = (event: KeyboardEvent) => {
    const step = event.shiftKey ? 1 : STEP_PCT;
    const next = {
      ArrowRight: share + step, ArrowUp: share + step, ArrowLeft: share - step, ArrowDown: share - step, Home: 0, End: 100,
    }[event.key]; // biome-ignore format: a table
    if (event.key === "Enter" && inHand !== null) take(inHand);
    if (event.key === "Escape") {
      clearTimeout(timer.current);
      setInHand(null);
    }
    if (next === undefined) return;
    event.preventDefault();
    const pct = Math.min(100, Math.max(0, Math.round(next)));
    setInHand(pct);
    clearTimeout(timer.current);
    timer.current = setTimeout(() => take(pct), RESTED_MS);
  };
  const said = rows.map((row) => `${row.name} ${figure(between(points, share, row.of), row.unit)}`).join(", ");
  const limited = points.find((one) => one.limited);
  const short = between(points, share, (one) => one.short_db);
  return (
    <div ref={follow}>
      <div
        role="slider"
        tabIndex={0}
        aria-label="Share of the carve"
        aria-valuemin={0}
        aria-valuemax={100}
        aria-valuenow={share}
        aria-valuetext={`${share} %: ${said}`}
        style={{ cursor: "ew-resize", touchAction: "none", opacity: fresh ? 1 : 0.6 }}
        onKeyDown={key}
        onPointerDown={(event) => {
          if (event.button !== 0) return;
          event.currentTarget.setPointerCapture(event.pointerId);
          drag(event);
        }}
        onPointerMove={(event) => {
          if (event.buttons & 1 && event.currentTarget.hasPointerCapture(event.pointerId)) drag(event);
        }}
        onPointerUp={() => {
          if (inHand !== null) take(inHand);
        }}
      >
        <svg width={width} height={height} aria-hidden="true">
          {rows.map((row, index) => (
            <Row
              key={row.name}
              row={row}
              points={points}
              share={share}
              top={TOP + index * form.row}
              x={x}
              form={form}
              width={width}
            />
          ))}
          {limited && (
            <rect
              x={x(limited.share_pct)}
              y={TOP}
              width={x(100) - x(limited.share_pct)}
              height={foot - TOP}
              fill="var(--soft)"
              opacity={0.1}
            >
              <title>The carve may not go further: beyond this it comes out the same</title>
            </rect>
          )}
          <line
            x1={x(curve.cheapest_pct)}
            x2={x(curve.cheapest_pct)}
            y1={TOP}
            y2={foot + 5}
            stroke="var(--soft)"
            strokeDasharray="3 3"
          >
            <title>The share that costs least</title>
          </line>
          {[0, 25, 50, 75, 100].map((pct) => (
            <text key={pct} x={x(pct)} y={height - 3} textAnchor={form.over && pct === 0 ? "start" : "middle"}>
              {pct === 0
                ? form.over
                  ? "duck"
                  : "duck alone"
                : pct === 100
                  ? form.over
                    ? "carve"
                    : "carve alone"
                  : `${pct} %`}
            </text>
          ))}
          <line x1={x(share)} x2={x(share)} y1={TOP} y2={foot} stroke="var(--ink)" strokeWidth={1.5} />
          <path d={`M${x(share)} ${foot}l6 9h-12z`} fill="var(--ink)" />
        </svg>
      </div>
      <p className="small soft mb-1">
        <span className="mono">{share} %</span>
        {inHand !== null && inHand !== stored ? " in the hand: predicted, planned when it rests. " : ". "}
        {limited &&
          share >= limited.share_pct &&
          "The carve is at its limits here: more of a share changes nothing. "}
        {short > 0.2 && `The goal is missed by ${figure(short, "dB")}. `}
        Dashed: what costs least, a cut lasting all of the time and a duck {figure(curve.active_pct, "%")} of it.
      </p>
    </div>
  );
}

interface RowProps {
  row: (typeof ROWS)[number];
  points: Point[];
  share: number;
  top: number;
  x: (pct: number) => number;
  form: typeof WIDE;
  width: number;
}

/** One figure along the share, with what it is where the hand is. */
function Row({ row, points, share, top, x, form, width }: RowProps) {
  const values = points.map((one) => row.of(one) ?? 0);
  const low = Math.min(0, ...values);
  const high = Math.max(0, ...values);
  const span = Math.max(high - low, row.least);
  const y = (value: number) => top + 3 + ((high - value) / span) * (form.row - 7);
  const line = points.map((one, i) => `${x(one.share_pct).toFixed(1)} ${y(values[i] ?? 0).toFixed(1)}`).join("L");
  const now = between(points, share, row.of);
  return (
    <g>
      {form.over ? (
        <text x={x(0)} y={top + 10} className="over-lines">
          {row.name}
        </text>
      ) : (
        <text x={form.left - 10} y={top + form.row / 2 + 4} textAnchor="end">
          {row.name}
        </text>
      )}
      <line x1={x(0)} x2={x(100)} y1={y(0)} y2={y(0)} stroke="var(--line)" />
      <path d={`M${line}`} fill="none" stroke="var(--room)" strokeWidth={2} />
      <circle cx={x(share)} cy={y(now)} r={3.5} fill="var(--room)" />
      <text x={width - form.right + (form.over ? 6 : 14)} y={top + form.row / 2 + 4} className="strong">
        {figure(now, row.unit, row.sign ? { sign: true } : {})}
      </text>
    </g>
  );
}
