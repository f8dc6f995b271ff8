import { type KeyboardEvent, type PointerEvent, useMemo, useRef, useState } from "react";
import { BASS, bassOf, instrumentOf, kickOf } from "../../api/parts";
import type { Stroke } from "../../api/types";
import { Choice } from "../../controls/Choice";
import { figure, plainName, pretty } from "../../controls/figures";
import { AXIS_LEFT, AXIS_RIGHT, axisBeat, axisX, barBeat } from "../../plots/axis";
import { BeatNames, Playhead, useTimeAxis } from "../../plots/timeAxis";
import { useWidth } from "../../plots/useWidth";
import { useEditor } from "../../queries/editor";
import { newGesture } from "../../queries/gesture";
import { useDefinition } from "../../queries/parameters";
import { partName } from "../duck/duckedParts";
import { hitsOf, withHit } from "../hits/pads";
import { BarTools } from "./BarTools";
import { CELL, kept, PLAIN, rowsOf, snap } from "./grid";
import { HIT_ROW, HitRows, type Picked } from "./HitRows";
import { doublesOf, type LineNote, lineParts, playedNotes, withNotes } from "./line";
import { NoteCursor } from "./NoteCursor";
import { NoteRulers } from "./NoteRulers";
import { PartLine } from "./PartLine";
import { RowHeads } from "./RowHeads";
import { StrokeRulers } from "./StrokeRulers";

const LEFT = AXIS_LEFT;
const RIGHT = AXIS_RIGHT;
const ROW = 17;
const LOWEST = 26;
const HIGHEST = 41;
const EDGE_PX = 7;
/** A line may be looked at so many octaves up and down. */
const MOST_OCTAVES = 4;

interface Drag {
  index: number;
  kind: "move" | "length";
  fromBeats: number;
  note: LineNote;
  gesture: string;
}

interface Rung {
  note: number;
  name: string;
  tonic: boolean;
}

const middleOf = (line: LineNote[]) => line.reduce((sum, one) => sum + one.note, 0) / line.length;

/** Notes of the key between two, low to high. */
const rungsAt = (inKey: Set<number>, low: number, high: number) =>
  Array.from({ length: high - low + 1 }, (_, at) => ({ note: low + at })).filter((one) => inKey.has(one.note % 12));

/** Pattern, and the line of the bass or any other part: click to add, drag to move, drag the right edge to lengthen, Delete to remove. */
export function BeatGrid({ rungs }: { rungs: Rung[] }) {
  const editor = useEditor();
  const { track } = editor;
  const beats = track.sheet.bars * 4;
  const [follow, width] = useWidth(840);
  const axis = useTimeAxis();
  const [selected, setSelected] = useState<number | null>(null);
  const [picked, setPicked] = useState<Picked | null>(null);
  const drag = useRef<Drag | null>(null);
  const svg = useRef<SVGSVGElement>(null);
  const hits = useMemo(() => hitsOf(track), [track]);
  const top = hits.length * HIT_ROW + 2;
  const [every, setEvery] = useState(false);
  const parts = lineParts(track);
  const [chosen, setChosen] = useState(BASS);
  const part = parts.includes(chosen) ? chosen : BASS;
  const linked = doublesOf(track, part) !== null;
  const line = playedNotes(track, part);
  const range = useDefinition("BassNote").note;
  const all: [number, number] = [range?.minimum ?? LOWEST, range?.maximum ?? HIGHEST];
  // The key goes on in every octave, also where the ladder draws no rung.
  const inKey = useMemo(() => new Set(rungs.map((rung) => rung.note % 12)), [rungs]);
  // Around where the line is: a bass low, anything else where it has been written.
  const [shift, setShift] = useState(0);
  const around = part === BASS || !line.length ? 0 : Math.round((middleOf(line) - (LOWEST + HIGHEST) / 2) / 12);
  const octaves = around + shift;
  const ladder = rungsAt(inKey, LOWEST + 12 * octaves, HIGHEST + 12 * octaves);
  const rows = rowsOf(ladder, line, LOWEST + 12 * octaves, HIGHEST + 12 * octaves, every ? all : null);
  const others = parts.filter((one) => one !== part).flatMap((one) => playedNotes(track, one));
  const height = top + rows.length * ROW + 16;
  const x = axisX(axis, width);
  const y = (note: number) => top + 4 + rows.indexOf(note) * ROW;

  const place = (event: PointerEvent): { beats: number; row: number; hits: boolean } => {
    const rect = svg.current?.getBoundingClientRect();
    const px = event.clientX - (rect?.left ?? 0);
    const py = event.clientY - (rect?.top ?? 0);
    const at = axisBeat(axis, width)(px);
    const row = Math.floor((py - top - 4) / ROW);
    return { beats: at, row: Math.min(rows.length - 1, Math.max(0, row)), hits: py < top };
  };
  const setNotes = (label: string, change: (notes: LineNote[]) => LineNote[], gesture?: string) =>
    editor.edit(label, (now) => withNotes(now, part, change), gesture);
  const setNote = (index: number, change: Partial<LineNote>, gesture?: string) =>
    setNotes(
      `${partName(track, part)} note`,
      (notes) => notes.map((note, i) => (i === index ? kept({ ...note, ...change }, beats) : note)),
      gesture,
    );
  const setStrokes = (id: string, label: string, change: (strokes: Stroke[]) => Stroke[], gesture?: string) =>
    editor.edit(label, (now) => withHit(now, id, (one) => ({ ...one, strokes: change(one.strokes) })), gesture);
  const remove = (index: number) => {
    setNotes(`Remove ${partName(track, part).toLowerCase()} note`, (notes) => notes.filter((_, i) => i !== index));
    setSelected(null);
  };

  const down = (event: PointerEvent<SVGSVGElement>) => {
    if (event.button !== 0) return;
    const at = place(event);
    if (at.beats < axis.from || at.beats >= axis.to || at.hits || linked) return;
    const note = rows[at.row] as number;
    const found = line.findIndex(
      (one) => one.note === note && at.beats >= one.at_beats && at.beats < one.at_beats + one.length_beats,
    );
    event.currentTarget.setPointerCapture(event.pointerId);
    const gesture = newGesture();
    if (found < 0) {
      const made = kept({ at_beats: Math.floor(at.beats / CELL) * CELL, length_beats: CELL, note, ...PLAIN }, beats);
      setNotes(`Add ${partName(track, part).toLowerCase()} note`, (notes) => [...notes, made], gesture);
      setSelected(line.length);
      drag.current = { index: line.length, kind: "length", fromBeats: at.beats, note: made, gesture };
      return;
    }
    const one = line[found] as LineNote;
    // A short note keeps most of its width for moving.
    const edge = Math.min(EDGE_PX, (x(one.length_beats) - x(0)) / 3);
    const nearEnd = x(one.at_beats + one.length_beats) - x(at.beats) < edge;
    setSelected(found);
    drag.current = { index: found, kind: nearEnd ? "length" : "move", fromBeats: at.beats, note: one, gesture };
  };
  const move = (event: PointerEvent<SVGSVGElement>) => {
    const held = drag.current;
    if (!held || !(event.buttons & 1)) return;
    const at = place(event);
    const by = snap(at.beats - held.fromBeats);
    const change =
      held.kind === "length"
        ? { length_beats: Math.max(CELL, held.note.length_beats + by) }
        : { at_beats: held.note.at_beats + by, note: rows[at.row] as number };
    const now = line[held.index];
    if (now && Object.entries(change).some(([name, value]) => now[name as keyof LineNote] !== value)) {
      setNote(held.index, change, held.gesture);
    }
  };
  const key = (event: KeyboardEvent, index: number) => {
    const note = line[index];
    if (!note || linked) return;
    const row = rows.indexOf(note.note);
    const changes: Record<string, Partial<LineNote> | undefined> = {
      ArrowLeft: event.shiftKey ? { length_beats: note.length_beats - CELL } : { at_beats: note.at_beats - CELL },
      ArrowRight: event.shiftKey ? { length_beats: note.length_beats + CELL } : { at_beats: note.at_beats + CELL },
      ArrowUp: row > 0 ? { note: rows[row - 1] as number } : undefined,
      ArrowDown: row < rows.length - 1 ? { note: rows[row + 1] as number } : undefined,
    };
    const change = changes[event.key];
    if (change) setNote(index, change);
    else if (event.key === "Delete" || event.key === "Backspace") remove(index);
    else if (event.key === "Enter" || event.key === "Escape")
      svg.current?.querySelector<SVGElement>("[data-testid=note-cursor]")?.focus();
    else return;
    event.preventDefault();
  };
  const name = (note: number) => {
    const known = rungs.find((rung) => rung.note === note)?.name;
    return known ? pretty(known) : plainName(note, track.sheet.middle_c);
  };
  const outside = (note: number) => !inKey.has(note % 12);

  return (
    <>
      <div className="bench-head">
        <h3 title="A press adds a stroke or a note; drag a note to move it, its right edge to lengthen it, a stroke up or down for strength; Shift-press picks a stroke; Delete removes">
          Pattern
        </h3>
        {/* Always there, so that nothing below moves when they can be used. */}
        <span className="together align-items-end ms-auto">
          <Choice
            label="Line of"
            value={part}
            options={parts.map((one) => ({ value: one, label: partName(track, one) }))}
            onChange={(next) => {
              setChosen(next);
              setSelected(null);
            }}
          />
          <BarTools />
          {([1, -1] as const).map((by) => (
            <button
              key={by}
              type="button"
              className="btn btn-plain"
              disabled={Math.abs(shift + by) > MOST_OCTAVES}
              title={`Rows an octave ${by > 0 ? "higher" : "lower"}; notes that are written stay in sight`}
              onClick={() => setShift(shift + by)}
            >
              Octave {by > 0 ? "up" : "down"}
            </button>
          ))}
          <button
            type="button"
            className="btn btn-plain"
            aria-pressed={every}
            title="Also notes outside the key, and every octave the bass can play"
            onClick={() => setEvery(!every)}
          >
            Every note
          </button>
          <button
            type="button"
            className="btn btn-plain"
            disabled={selected === null || !line[selected] || linked}
            onClick={() => selected !== null && remove(selected)}
          >
            Remove note
          </button>
        </span>
      </div>
      <div ref={follow} className="position-relative">
        <RowHeads hits={hits} />
        <svg
          ref={svg}
          width={width}
          height={height}
          role="group"
          aria-label={`Pattern of ${track.sheet.bars} bars: ${kickOf(track).strokes.length} kicks, ${bassOf(track).notes.length} bass notes`}
          style={{ touchAction: "none" }}
          onPointerDown={down}
          onPointerMove={move}
          onPointerUp={() => {
            drag.current = null;
          }}
        >
          {rows.map((note) => {
            const tonic = rungs.find((rung) => rung.note === note)?.tonic;
            return (
              <g key={note}>
                <rect
                  x={LEFT}
                  y={y(note)}
                  width={width - LEFT - RIGHT}
                  height={ROW}
                  fill={tonic ? "var(--band)" : outside(note) ? "var(--paper)" : "var(--card)"}
                  stroke="var(--line)"
                  strokeWidth={0.5}
                />
              </g>
            );
          })}
          {Array.from({ length: axis.to - axis.from + 1 }, (_, i) => axis.from + i).map((beat) => (
            <line
              key={beat}
              x1={x(beat)}
              x2={x(beat)}
              y1={0}
              y2={height - 14}
              stroke={beat % 4 === 0 ? "var(--soft)" : "var(--line)"}
            />
          ))}
          <clipPath id="grid-in-sight">
            <rect x={LEFT} y={0} width={Math.max(0, width - LEFT - RIGHT)} height={height} />
          </clipPath>
          <g clipPath="url(#grid-in-sight)">
            <HitRows
              hits={hits}
              beats={beats}
              x={x}
              picked={picked}
              onPick={(now) => {
                setPicked(now);
                setSelected(null);
              }}
              onStrokes={setStrokes}
            />
            {others.map((note, index) =>
              note.at_beats >= beats || !rows.includes(note.note) ? null : (
                <rect
                  key={`other-${note.at_beats}-${note.note}-${index}`}
                  pointerEvents="none"
                  x={x(note.at_beats) + 0.5}
                  y={y(note.note) + 5}
                  width={Math.max(3, x(Math.min(beats, note.at_beats + note.length_beats)) - x(note.at_beats) - 1)}
                  height={ROW - 10}
                  rx={2.5}
                  fill="none"
                  stroke="var(--soft)"
                />
              ),
            )}
            {line.map((note, index) =>
              note.at_beats >= beats || !rows.includes(note.note) ? null : (
                <rect
                  key={`${note.at_beats}-${note.note}-${index}`}
                  role="button"
                  tabIndex={-1}
                  data-note={index}
                  aria-label={`${partName(track, part)} ${name(note.note)}${outside(note.note) ? ", outside the key," : ""} at ${barBeat(note.at_beats)}, ${figure(note.length_beats, "beats")}`}
                  x={x(note.at_beats) + 0.5}
                  y={y(note.note) + 2}
                  width={Math.max(3, x(Math.min(beats, note.at_beats + note.length_beats)) - x(note.at_beats) - 1)}
                  height={ROW - 4}
                  rx={2.5}
                  fill={outside(note.note) ? "var(--card)" : "var(--bass)"}
                  stroke={selected === index ? "var(--ink)" : outside(note.note) ? "var(--bass)" : "none"}
                  strokeWidth={2}
                  style={{ cursor: "grab" }}
                  onFocus={() => setSelected(index)}
                  onDoubleClick={() => remove(index)}
                  onKeyDown={(event) => key(event, index)}
                />
              ),
            )}
            <NoteCursor
              key={part}
              rows={rows}
              line={line}
              beats={beats}
              name={name}
              part={partName(track, part)}
              x={x}
              y={y}
              row={ROW}
              onAdd={(note, at) => {
                if (linked) return;
                const made = kept({ at_beats: at, length_beats: CELL, note, ...PLAIN }, beats);
                setNotes(`Add ${partName(track, part).toLowerCase()} note`, (notes) => [...notes, made]);
              }}
              onPick={(index) => svg.current?.querySelector<SVGElement>(`[data-note="${index}"]`)?.focus()}
            />
          </g>
          <BeatNames width={width} y={height - 3} />
          <g pointerEvents="none">
            {rows.map((note) => (
              <text
                key={note}
                x={LEFT - 6}
                y={y(note) + 12}
                textAnchor="end"
                className={rungs.find((rung) => rung.note === note)?.tonic ? "strong" : ""}
              >
                {name(note)}
              </text>
            ))}
          </g>
        </svg>
        <Playhead width={width} top={0} height={height - 14} />
      </div>
      {selected !== null && line[selected] && !linked && (
        <NoteRulers
          note={line[selected]}
          name={name(line[selected].note)}
          recorded={part === BASS && instrumentOf(track).source === "recorded line"}
          onChange={(change, gesture) => setNote(selected, change, gesture)}
        />
      )}
      <PartLine part={part} inKey={inKey} />
      {picked && <StrokeRulers hits={hits} picked={picked} onStrokes={setStrokes} />}
    </>
  );
}
