import { type KeyboardEvent, useState } from "react";
import { figure } from "../../controls/figures";
import { barBeat } from "../../plots/axis";
import { CELL } from "./grid";
import type { LineNote } from "./line";

interface Props {
  rows: number[];
  line: LineNote[];
  beats: number;
  name: (note: number) => string;
  part: string;
  x: (at: number) => number;
  y: (note: number) => number;
  row: number;
  onAdd: (note: number, at: number) => void;
  onPick: (index: number) => void;
}

/** One Tab stop for all of a line: arrow keys walk over its cells, Enter writes a note there or takes up the one that is. */
export function NoteCursor({ rows, line, beats, name, part, x, y, row, onAdd, onPick }: Props) {
  const [at, setAt] = useState(0);
  const [place, setPlace] = useState<number | null>(null);
  const [shown, setShown] = useState(false);
  const index = Math.min(rows.length - 1, place ?? Math.floor(rows.length / 2));
  const note = rows[index];
  if (note === undefined) return null;
  const found = line.findIndex(
    (one) => one.note === note && at >= one.at_beats && at < one.at_beats + one.length_beats,
  );
  const here = line[found];
  const key = (event: KeyboardEvent) => {
    const step = event.shiftKey ? 1 : CELL;
    const [by, up] = { ArrowRight: [step, 0], ArrowLeft: [-step, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[
      event.key
    ] ?? [0, 0];
    if (by || up) {
      setAt(Math.max(0, Math.min(beats - CELL, at + (by ?? 0))));
      setPlace(Math.max(0, Math.min(rows.length - 1, index + (up ?? 0))));
    } else if (event.key === "Enter") found >= 0 ? onPick(found) : onAdd(note, at);
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <rect
      role="button"
      tabIndex={0}
      data-testid="note-cursor"
      aria-label={`Line of ${part}, ${name(note)} at ${barBeat(at)}: ${
        here
          ? `a note of ${figure(here.length_beats, "beats")}, Enter takes it up`
          : "nothing, Enter writes a note of a quarter beat"
      }`}
      x={x(at)}
      y={y(note) + 1}
      width={Math.max(4, x(CELL) - x(0))}
      height={row - 2}
      fill="none"
      stroke={shown ? "var(--focus)" : "none"}
      strokeWidth={2}
      pointerEvents="none"
      onFocus={() => setShown(true)}
      onBlur={() => setShown(false)}
      onKeyDown={key}
    />
  );
}
