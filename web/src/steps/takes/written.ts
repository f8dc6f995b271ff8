import type { ReadHit, Stroke, Track } from "../../api/types";
import { strokeAt, withHit } from "../hits/pads";

export type Row = ReadHit["row"];
export const ROWS: Row[] = ["kick", "snare", "hat"];
const BAR_BEATS = 4;
const FIRM_STRENGTH = 104;
/** What is further off the grid than a stroke may be moved is on it. */
const MOST_SHIFT_MS = 50;

export const cellOf = (row: Row, at_beats: number) => `${row} ${at_beats}`;

/** The strokes read, with what was put in and taken out by hand; a stroke of the hand is firm and on the grid. */
export function corrected(read: ReadHit[], changed: ReadonlySet<string>): ReadHit[] {
  const kept = read.filter((one) => !changed.has(cellOf(one.row, one.at_beats)));
  const known = new Set(read.map((one) => cellOf(one.row, one.at_beats)));
  const added = [...changed]
    .filter((cell) => !known.has(cell))
    .map((cell) => {
      const [row, at] = cell.split(" ") as [Row, string];
      return { row, at_beats: Number(at), off_ms: 0, strength: FIRM_STRENGTH, sure: 1 };
    });
  return [...kept, ...added];
}

/** The pattern with its bar 1 so many beats later: what was before it comes at its end. */
export function turned(hits: ReadHit[], beats: number, bars: number): ReadHit[] {
  const all = Math.max(1, bars * BAR_BEATS);
  return hits.map((one) => ({ ...one, at_beats: (one.at_beats - beats + all) % all }));
}

/** Strokes of one row over all bars of a track, the pattern from its start again where it is shorter. */
export function strokesOf(
  hits: ReadHit[],
  row: Row,
  patternBars: number,
  trackBars: number,
  played: boolean,
): Stroke[] {
  const out: Stroke[] = [];
  for (let bar = 0; bar < trackBars; bar++)
    for (const one of hits) {
      if (one.row !== row || Math.floor(one.at_beats / BAR_BEATS) !== bar % patternBars) continue;
      const stroke = strokeAt((one.at_beats % BAR_BEATS) + bar * BAR_BEATS, one.strength);
      const shift = played && Math.abs(one.off_ms) <= MOST_SHIFT_MS ? Math.round(one.off_ms * 10) / 10 : 0;
      out.push({ ...stroke, shift_ms: shift });
    }
  return out;
}

/** The track with a pattern in place of the strokes of the parts that are named for its rows. */
export function withPattern(
  track: Track,
  hits: ReadHit[],
  bars: number,
  to: Record<Row, string | null>,
  played: boolean,
): Track {
  return ROWS.reduce((made, row) => {
    const part = to[row];
    if (part === null) return made;
    const strokes = strokesOf(hits, row, bars, made.sheet.bars, played);
    return withHit(made, part, (one) => ({ ...one, doubles: null, strokes }));
  }, track);
}
