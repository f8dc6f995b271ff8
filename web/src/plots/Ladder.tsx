import { type KeyboardEvent, type PointerEvent, useRef, useState } from "react";
import type { HitOnLadder, Ladder as LadderData } from "../api/types";
import { figure, offNote, pretty } from "../controls/figures";
import { useWidth } from "./useWidth";
import "./ladder.css";

interface Props {
  ladder: LadderData;
  selected: string;
  onSelect: (id: string) => void;
  /** Where a hit was put, Hz. */
  onMove: (hit: HitOnLadder, hz: number, note: string) => void;
}

const HEIGHT = 420;
const LEFT = 44;
const TOP = 8;
const FOOT = 40;
/** A grip this close to a rung is on it; Shift lets go. */
const MAGNET_CENTS = 30;
const LEAST_TAIL_MS = 150;
const LONGEST_TAIL_MS = 700;
const NARROWEST_LABEL_PX = 11;
/** Narrower columns say where they land by the mark alone. */
const NAMED_COLUMN_PX = 62;

const centsBetween = (hz: number, from: number) => 1200 * Math.log2(hz / from);

interface Held {
  id: string;
  hz: number;
  grabbedAt: number;
  moved: boolean;
}

/** The notes of the key as rungs, and every hit as its measured pitch falling onto where it lands; grips retune. */
export function Ladder({ ladder, selected, onSelect, onMove }: Props) {
  const [follow, width] = useWidth(840);
  const [held, setHeld] = useState<Held | null>(null);
  const svg = useRef<SVGSVGElement>(null);
  const used = ladder.hits.flatMap((one) => (one.used_hz ? [one.used_hz] : []));
  const low = Math.min(45, ...used) * 0.86;
  const high = Math.max(130, ...used) * 1.5;
  const foot = HEIGHT - FOOT;
  const y = (hz: number) =>
    TOP + (1 - Math.log(Math.min(high, Math.max(low, hz)) / low) / Math.log(high / low)) * (foot - TOP);
  const hzAt = (py: number) => low * (high / low) ** (1 - (py - TOP) / (foot - TOP));
  const column = (width - LEFT - 4) / Math.max(1, ladder.hits.length);
  const rungs = ladder.rungs.filter((rung) => rung.frequency_hz > low && rung.frequency_hz < high);
  const nearest = (hz: number) =>
    ladder.rungs.reduce((best, rung) =>
      Math.abs(centsBetween(rung.frequency_hz, hz)) < Math.abs(centsBetween(best.frequency_hz, hz)) ? rung : best,
    );

  const move = (event: PointerEvent) => {
    const box = svg.current?.getBoundingClientRect();
    if (!held || !box || !(event.buttons & 1)) return;
    const free = hzAt(event.clientY - box.top - held.grabbedAt);
    const rung = nearest(free);
    const on = !event.shiftKey && Math.abs(centsBetween(free, rung.frequency_hz)) < MAGNET_CENTS;
    setHeld({ ...held, hz: on ? rung.frequency_hz : free, moved: true });
  };
  const release = (hit: HitOnLadder) => {
    if (held?.moved && hit.used_hz && Math.abs(centsBetween(held.hz, hit.used_hz)) > 0.5) {
      onMove(hit, held.hz, nearest(held.hz).name);
    }
    setHeld(null);
  };
  const key = (event: KeyboardEvent, hit: HitOnLadder) => {
    const way = { ArrowUp: 1, ArrowDown: -1 }[event.key];
    const { used_hz: now } = hit;
    if (!way || !now) return;
    event.preventDefault();
    const beyond = ladder.rungs.filter((rung) => way * centsBetween(rung.frequency_hz, now) > 1);
    const next = way > 0 ? beyond[0] : beyond.at(-1);
    if (next) onMove(hit, next.frequency_hz, next.name);
  };

  return (
    <div ref={follow}>
      <svg ref={svg} width={width} height={HEIGHT} role="group" aria-label="Hits on the notes of the key">
        <rect x={LEFT} y={TOP} width={width - LEFT - 4} height={foot - TOP} fill="var(--card)" stroke="var(--line)" />
        {rungs.map((rung, i) => {
          const place = y(rung.frequency_hz);
          const below = rungs[i - 1];
          const clear = !below || y(below.frequency_hz) - place > NARROWEST_LABEL_PX;
          return (
            <g key={rung.note}>
              <line
                x1={LEFT}
                x2={width - 4}
                y1={place}
                y2={place}
                stroke={rung.tonic ? "var(--soft)" : "var(--rung)"}
                strokeWidth={rung.tonic ? 1.3 : 0.7}
              />
              {(rung.tonic || clear) && (
                <text x={LEFT - 6} y={place + 3.5} textAnchor="end" className={rung.tonic ? "strong" : ""}>
                  {pretty(rung.name)}
                </text>
              )}
            </g>
          );
        })}
        {ladder.hits.map((hit, i) => {
          const left = LEFT + i * column;
          const hz = held?.id === hit.id ? held.hz : hit.used_hz;
          const off = hz ? centsBetween(hz, nearest(hz).frequency_hz) : null;
          return (
            <g key={hit.id} className="ladder-hit" data-hit={hit.id}>
              <rect
                x={left + 1}
                y={TOP}
                width={column - 2}
                height={HEIGHT - TOP}
                fill={hit.id === selected ? "var(--band)" : "transparent"}
                opacity={hit.id === selected ? 0.6 : 1}
                onPointerDown={() => onSelect(hit.id)}
              />
              <Fall hit={hit} left={left} column={column} y={y} />
              {hz && hit.used_hz && (
                <g
                  role="slider"
                  tabIndex={0}
                  aria-label={`${hit.name} lands at`}
                  aria-valuenow={Math.round(hz * 10) / 10}
                  aria-valuetext={`${figure(hz, "Hz")}, ${pretty(nearest(hz).name)} ${figure(off, "ct", { sign: true })}`}
                  className="grip"
                  onKeyDown={(event) => key(event, hit)}
                  onPointerDown={(event) => {
                    const box = svg.current?.getBoundingClientRect();
                    if (event.button !== 0 || !box) return;
                    event.currentTarget.setPointerCapture(event.pointerId);
                    onSelect(hit.id);
                    setHeld({ id: hit.id, hz, grabbedAt: event.clientY - box.top - y(hz), moved: false });
                  }}
                  onPointerMove={move}
                  onPointerUp={() => release(hit)}
                  onPointerCancel={() => setHeld(null)}
                >
                  <rect x={left + column * 0.3} y={y(hz) - 11} width={column * 0.66} height={22} fill="transparent" />
                  <line
                    x1={left + column * 0.3}
                    x2={left + column - 8}
                    y1={y(hz)}
                    y2={y(hz)}
                    stroke={off !== null && Math.abs(off) > ladder.look_cents ? "var(--clash)" : "var(--ink)"}
                    strokeWidth={2.5}
                    strokeDasharray={hit.used === "by hand" ? "5 3" : undefined}
                  />
                  <path
                    d={`M${left + column - 8} ${y(hz)}l7 -5v10z`}
                    fill={off !== null && Math.abs(off) > ladder.look_cents ? "var(--clash)" : "var(--ink)"}
                  />
                </g>
              )}
              {hit.used_hz && <StrokePitches hit={hit} hz={hit.used_hz} x={left + column} y={y} />}
              {held?.id === hit.id && hit.used_hz && (
                <text x={left + column / 2} y={y(held.hz) - 14} textAnchor="middle" className="strong">
                  {`${pretty(nearest(held.hz).name)} ${figure(off, "ct", { sign: true })}, moved ${figure(centsBetween(held.hz, hit.used_hz) / 100, "st", { sign: true })}`}
                  {Math.abs(centsBetween(held.hz, hit.used_hz)) > 100 * ladder.character_semitones &&
                    ": far, it changes character"}
                </text>
              )}
              <g
                role="button"
                tabIndex={0}
                aria-pressed={hit.id === selected}
                aria-label={`${hit.name} ${landedAt(hit)}: ${spoken(hit)}`}
                onClick={() => onSelect(hit.id)}
                onKeyDown={(event) => {
                  if (event.key !== "Enter" && event.key !== " ") return;
                  event.preventDefault();
                  event.stopPropagation();
                  onSelect(hit.id);
                }}
              >
                <rect x={left + 1} y={foot + 2} width={column - 2} height={FOOT - 4} fill="transparent" />
              </g>
              <g pointerEvents="none">
                <text x={left + column / 2} y={foot + 15} textAnchor="middle" className="ladder-name">
                  {short(hit.name, column)}
                </text>
                <text
                  x={left + column / 2}
                  y={foot + 30}
                  textAnchor="middle"
                  className={
                    hit.off_cents !== null &&
                    hit.wide_margin_cents === null &&
                    Math.abs(hit.off_cents) > ladder.look_cents
                      ? "off"
                      : ""
                  }
                >
                  {hit.note_name || column >= NAMED_COLUMN_PX ? landedAt(hit) : "–"}
                </text>
              </g>
            </g>
          );
        })}
      </svg>
    </div>
  );
}

const landedAt = (hit: HitOnLadder) =>
  hit.note_name
    ? `${pretty(hit.note_name)} ${offNote(hit.off_cents, hit.wide_margin_cents).replace(" ct", "")}`
    : "no pitch";

/** Where strokes with a pitch of their own land. */
function StrokePitches({ hit, hz, x, y }: { hit: HitOnLadder; hz: number; x: number; y: (hz: number) => number }) {
  return hit.stroke_cents.map((cents) => {
    const place = y(hz * 2 ** (cents / 1200));
    return (
      <line key={cents} x1={x - 22} x2={x - 8} y1={place} y2={place} stroke="var(--ink)" strokeDasharray="2 2">
        <title>{`strokes at ${figure(cents / 100, "st", { sign: true })}`}</title>
      </line>
    );
  });
}

const LETTER_PX = 7;
const short = (name: string, px: number) =>
  name.length * LETTER_PX > px ? `${name.slice(0, Math.max(2, Math.floor(px / LETTER_PX) - 1))}…` : name;

const spoken = (hit: HitOnLadder) =>
  hit.note_name
    ? `${pretty(hit.note_name)} ${offNote(hit.off_cents, hit.wide_margin_cents)}, ${hit.verdict}`
    : "no pitch to tune";

/** The measured pitch of one hit over time: the thicker, the louder. */
function Fall({
  hit,
  left,
  column,
  y,
}: {
  hit: HitOnLadder;
  left: number;
  column: number;
  y: (hz: number) => number;
}) {
  if (!hit.path || !hit.used_hz) return null;
  const { time_ms, pitch_hz, level_db } = hit.path;
  const span = Math.min(LONGEST_TAIL_MS, Math.max(LEAST_TAIL_MS, time_ms.at(-1) ?? 0));
  const x = (ms: number) => left + 5 + (Math.min(span, Math.max(0, ms)) / span) * (column - 16);
  const above: string[] = [];
  const below: string[] = [];
  for (let i = 0; i < time_ms.length; i++) {
    const ms = time_ms[i] ?? 0;
    if (ms > span) break;
    const half = Math.max(0.4, 4.5 + (level_db[i] ?? -40) / 9);
    const place = y(pitch_hz[i] ?? hit.used_hz);
    above.push(`${x(ms).toFixed(1)} ${(place - half).toFixed(1)}`);
    below.push(`${x(ms).toFixed(1)} ${(place + half).toFixed(1)}`);
  }
  if (above.length < 2) return null;
  return (
    <path
      d={`M${above.join("L")}L${below.reverse().join("L")}Z`}
      fill={hit.role === "kick" ? "var(--kick)" : "var(--soft)"}
      opacity={hit.verdict === "firm" ? 0.95 : 0.55}
      pointerEvents="none"
    />
  );
}
