import { withPart } from "../../api/parts";
import type { Part, Track } from "../../api/types";
import type { Point } from "./drawn";

export type Line = NonNullable<Part["level_line"]>;
type Place = Line["points"][number];

const BAR_BEATS = 4;
/** Places are kept to this. */
const DIGITS = 1000;

const rounded = (beats: number) => Math.round(beats * DIGITS) / DIGITS;

/** The points of a part's line as times, for them to be drawn. */
export const asTimes = (points: Place[], beatMs: number): Point[] =>
  points.map((one) => ({ at_ms: one.at_beats * beatMs, level_db: one.gain_db }));

/** Times as places of the loop; what is beyond its end stands on it. */
export const asPlaces = (points: Point[], beatMs: number, lengthBeats: number): Place[] =>
  points
    .map((one) => ({ at_beats: rounded(Math.min(lengthBeats, one.at_ms / beatMs)), gain_db: one.level_db }))
    .filter((one, at, all) => at === 0 || one.at_beats > (all[at - 1] as Place).at_beats);

/** The first bar's points in every bar of the loop, in place of what stood there. */
export function copiedFromBarOne(points: Place[], bars: number): Place[] {
  const first = points.filter((one) => one.at_beats < BAR_BEATS);
  if (first.length === 0) return points;
  return Array.from({ length: bars }, (_, bar) =>
    first.map((one) => ({ ...one, at_beats: rounded(one.at_beats + bar * BAR_BEATS) })),
  ).flat();
}

/** The track with a part's line as given, or without one. */
export const withLine = (track: Track, part: string, points: Place[] | null): Track =>
  withPart(track, part, (one) => ({ ...one, level_line: points?.length ? { points } : null }));
