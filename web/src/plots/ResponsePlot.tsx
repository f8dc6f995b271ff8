import { type PointerEvent, useLayoutEffect, useRef, useState } from "react";
import type { CarvePicture, Move } from "../api/types";
import { figure } from "../controls/figures";
import { newGesture } from "../queries/gesture";
import { moveDb } from "./cookbook";
import { useWidth } from "./useWidth";

/** A place on the chart: the tonic in some octave. */
export interface NotePlace {
  hz: number;
  name: string;
}

/** A note of the bass line, with what it loses carved and as heard, LU. */
export interface LineNote extends NotePlace {
  carved: number | null;
  heard: number | null;
}

interface Props {
  notes: LineNote[];
  tonics: NotePlace[];
  picture: CarvePicture;
  moves: Move[];
  yields: string;
  sampleRate: number;
  /** The move in the hand, and null when it is let go. */
  onHold: (move: Move | null) => void;
  onMove: (index: number, change: Partial<Move>, gesture: string) => void;
}

const HEIGHT = 172;
const LEFT = 40;
const BOTTOM = 32;
/** Under the chart, where each part has its energy. */
const BAR_PX = 7;
const BARS_DB = 36;
const LOW_HZ = 20;
const HIGH_HZ = 800;
const TOP_DB = 6;
const LOW_DB = -15;
const MOST_DB = 3;
const LEAST_DB = -12;
/** A point this close to the tonic is on it; Shift lets go. */
const MAGNET_CENTS = 60;
/** A note of the line that loses more than this is named. */
const LOSES_LU = 1;
/** Names of neighbouring notes stand in three rows. */
const STACK_PX = 12;

const cents = (hz: number, from: number) => 1200 * Math.log2(hz / from);

/** The carve's response at a frequency. */
function at(picture: CarvePicture, hz: number): number {
  const next = picture.frequency_hz.findIndex((one) => one >= hz);
  if (next <= 0) return picture.sum_db[0] ?? 0;
  const [low, high] = [picture.frequency_hz[next - 1] ?? 1, picture.frequency_hz[next] ?? 1];
  const share = Math.log(hz / low) / Math.log(high / low);
  return (picture.sum_db[next - 1] ?? 0) * (1 - share) + (picture.sum_db[next] ?? 0) * share;
}

/** The summed response with one move where the hand has it; the others as they were measured. */
function heldSum(picture: CarvePicture, held: { index: number; move: Move }, rate: number): number[] {
  const now = moveDb(held.move, picture.frequency_hz, rate);
  const before = picture.moves_db[held.index];
  return picture.sum_db.map((db, i) => db - (before?.[i] ?? 0) + (now[i] ?? 0));
}

/** The carve's response on the rungs of the key, with what each note of the line loses and a handle for each move; under it where both parts are. */
export function ResponsePlot({ picture, moves: stored, yields, notes, tonics, sampleRate, onHold, onMove }: Props) {
  const [follow, width] = useWidth(840);
  const svg = useRef<SVGSVGElement>(null);
  const held = useRef<{ index: number; gesture: string } | null>(null);
  // What the hand makes is drawn at once; the measured picture follows and takes its place.
  const [inHand, setInHand] = useState<{ index: number; move: Move } | null>(null);
  const moves = inHand ? stored.map((move, i) => (i === inHand.index ? inHand.move : move)) : stored;
  const sum = inHand ? heldSum(picture, inHand, sampleRate) : picture.sum_db;
  useLayoutEffect(() => {
    if (inHand) performance.mark("juglant-picture");
  }, [inHand]);
  const span = width - LEFT - 8;
  const tall = HEIGHT - BOTTOM - 4;
  const x = (hz: number) => LEFT + (Math.log(hz / LOW_HZ) / Math.log(HIGH_HZ / LOW_HZ)) * span;
  const y = (db: number) => 4 + ((TOP_DB - Math.min(TOP_DB, Math.max(LOW_DB, db))) / (TOP_DB - LOW_DB)) * tall;
  const curve = (hz: number[], values: number[], toY: (db: number) => number) =>
    hz
      .map((f, i) => ({ f, value: values[i] ?? 0 }))
      .filter((point) => point.f <= HIGH_HZ)
      .map((point) => `${x(point.f).toFixed(1)} ${toY(point.value).toFixed(1)}`)
      .join("L");
  const energy = (values: number[], row: number, tone: string) =>
    picture.spectrum_hz.slice(0, -1).map((hz, i) => {
      const next = picture.spectrum_hz[i + 1] ?? hz;
      if (hz < LOW_HZ || next > HIGH_HZ) return null;
      const strength = Math.max(0, 1 + (values[i] ?? -BARS_DB) / BARS_DB);
      return strength < 0.03 ? null : (
        <rect
          key={hz}
          x={x(hz)}
          y={4 + tall + 2 + row * (BAR_PX + 1)}
          width={x(next) - x(hz) + 0.3}
          height={BAR_PX}
          fill={`var(--${tone})`}
          opacity={strength}
        />
      );
    });
  const drag = (event: PointerEvent) => {
    const grip = held.current;
    const rect = svg.current?.getBoundingClientRect();
    if (!grip || !rect || !(event.buttons & 1)) return;
    const hz = LOW_HZ * (HIGH_HZ / LOW_HZ) ** ((event.clientX - rect.left - LEFT) / span);
    const magnet = event.shiftKey ? undefined : tonics.find((one) => Math.abs(cents(hz, one.hz)) < MAGNET_CENTS);
    const db = TOP_DB - ((event.clientY - rect.top - 4) / tall) * (TOP_DB - LOW_DB);
    const change = {
      frequency_hz: magnet?.hz ?? Number(Math.min(HIGH_HZ, Math.max(LOW_HZ, hz)).toFixed(1)),
      gain_db: Number(Math.min(MOST_DB, Math.max(LEAST_DB, db)).toFixed(1)),
    };
    const now = stored[grip.index];
    if (now) {
      setInHand({ index: grip.index, move: { ...now, ...change } });
      onHold({ ...now, ...change });
    }
    onMove(grip.index, change, grip.gesture);
  };
  const described = moves.length
    ? moves
        .map((move) => `${move.shape} ${figure(move.gain_db, "dB")} at ${figure(move.frequency_hz, "Hz")}`)
        .join(", ")
    : "no moves";
  return (
    <div ref={follow}>
      <svg
        ref={svg}
        width={width}
        height={HEIGHT}
        role="group"
        aria-label={`Response of the carve on the ${yields}: ${described}`}
        style={{ touchAction: "none" }}
        onPointerMove={drag}
        onPointerUp={() => {
          held.current = null;
          setInHand(null);
          onHold(null);
        }}
      >
        <rect x={LEFT} y={4} width={span} height={tall} fill="var(--card)" stroke="var(--line)" />
        <g data-testid="energy-kick">{energy(picture.kick_db, 0, "kick")}</g>
        <g data-testid="energy-bass">{energy(picture.bass_after_db, 1, "bass")}</g>
        {[20, 30, 50, 80, 100, 200, 400, 800].map((hz) => (
          <g key={hz}>
            <line x1={x(hz)} x2={x(hz)} y1={4} y2={4 + tall} stroke="var(--line)" />
            <text x={x(hz)} y={HEIGHT - 3} textAnchor={hz === HIGH_HZ ? "end" : "middle"}>
              {hz}
            </text>
          </g>
        ))}
        {[3, 0, -3, -6, -9, -12].map((db) => (
          <g key={db}>
            <line x1={LEFT} x2={width - 8} y1={y(db)} y2={y(db)} stroke={db === 0 ? "var(--soft)" : "var(--line)"} />
            <text x={LEFT - 5} y={y(db) + 3.5} textAnchor="end">
              {db > 0 ? `+${db}` : db < 0 ? `−${-db}` : db}
            </text>
          </g>
        ))}
        {tonics.map((one) => (
          <g key={one.hz}>
            <line x1={x(one.hz)} x2={x(one.hz)} y1={4} y2={4 + tall} stroke="var(--rung)" strokeDasharray="2 4" />
            <text x={x(one.hz) + 3} y={14} className="strong">
              {one.name}
            </text>
          </g>
        ))}
        {notes.map((note, i) => {
          const carved = note.carved ?? -at(picture, note.hz);
          const heard = note.heard ?? carved;
          const loses = carved > LOSES_LU;
          const place = x(note.hz);
          return (
            <g key={note.hz}>
              <title>{`${note.name} of the line, ${figure(note.hz, "Hz")}: loses ${figure(carved, "LU")} carved, ${figure(heard, "LU")} with the duck`}</title>
              <line x1={place} x2={place} y1={y(0)} y2={y(-carved)} stroke="var(--bass)" strokeWidth={4} />
              <circle cx={place} cy={y(-carved)} r={4} fill="var(--bass)" />
              {heard - carved > 0.1 && (
                <>
                  <line
                    x1={place}
                    x2={place}
                    y1={y(-carved)}
                    y2={y(-heard)}
                    stroke="var(--bass)"
                    strokeDasharray="2 2"
                  />
                  <circle
                    cx={place}
                    cy={y(-heard)}
                    r={4}
                    fill="var(--paper)"
                    stroke="var(--bass)"
                    strokeWidth={1.5}
                  />
                </>
              )}
              <path d={`M${x(note.hz)} ${4 + tall}l-4 7h8z`} fill="var(--bass)" />
              {loses && (
                <text
                  x={x(note.hz)}
                  y={tall - 2 - STACK_PX * (i % 3)}
                  textAnchor="middle"
                  style={{ fill: "var(--clash-text, var(--clash))" }}
                >
                  {note.name} −{figure(carved, "LU").replace(" LU", "")}
                </text>
              )}
            </g>
          );
        })}
        <path d={`M${curve(picture.frequency_hz, sum, y)}`} fill="none" stroke="var(--room)" strokeWidth={2.5} />
        {moves.map((move, index) => (
          <g key={index}>
            <rect
              x={x(Math.min(HIGH_HZ, move.frequency_hz)) - 7}
              y={y(move.gain_db) - 7}
              width={14}
              height={14}
              transform={`rotate(45 ${x(Math.min(HIGH_HZ, move.frequency_hz))} ${y(move.gain_db)})`}
              fill="var(--paper)"
              stroke="var(--room)"
              strokeWidth={2.5}
              style={{ cursor: "move" }}
              data-testid={`move-${index + 1}`}
              onPointerDown={(event) => {
                svg.current?.setPointerCapture(event.pointerId);
                held.current = { index, gesture: newGesture() };
              }}
            />
          </g>
        ))}
      </svg>
      <div className="small soft">
        dB over Hz: <span className="room-text">carve</span>
        {notes.length > 0 && <span className="bass-text">, ● a note carved ○ as heard, LU lost</span>}; bars below:{" "}
        <span className="kick-text">kick</span> and <span className="bass-text">bass</span> by level
      </div>
    </div>
  );
}
