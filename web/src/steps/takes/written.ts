import type { ReadHit, Stroke, Track } from "../../api/types";
import { strokeAt, withHit } from "../hits/pads";

export type Row = ReadHit["row"];
export const ROWS: Row[] = ["kick", "snare", "hat"];
const BAR_BEATS = 4;
const FIRM_STRENGTH = 104;
/** What is further off the grid than a stroke may be moved is on it. */
const MOST_SHIFT_MS = 50;

/** A place of a row. */
export type Place = Pick<ReadHit, "row" | "at_beats">;

const same = (one: Place, other: Place) => one.row === other.row && one.at_beats === other.at_beats;

/** The places pressed by hand with one more; pressed twice, a place is as it was. */
export const pressed = (places: Place[], place: Place): Place[] =>
  places.some((one) => same(one, place)) ? places.filter((one) => !same(one, place)) : [...places, place];

/** The strokes read, with those put in and taken out that were pressed; a stroke of the hand is firm and on the grid. */
export function corrected(read: ReadHit[], places: Place[]): ReadHit[] {
  const kept = read.filter((one) => !places.some((place) => same(place, one)));
  const added = places
    .filter((place) => !read.some((one) => same(place, one)))
    .map((place) => ({ ...place, off_ms: 0, strength: FIRM_STRENGTH, sure: 1 }));
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
