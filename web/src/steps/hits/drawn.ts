import type { Processor } from "../../api/types";

export type Point = Extract<Processor, { kind: "drawn" }>["points"][number];

const TOP_DB = 12;
const LOW_DB = -60;
const APART_MS = 0.1;
const LONGEST_MS = 30000;

/** Height of a level in its box, 0 at the top. */
export const levelAt = (db: number) => (TOP_DB - db) / (TOP_DB - LOW_DB);

/** Level at a height, kept inside the box, to a tenth. */
export const atLevel = (share: number) =>
  Math.round(10 * Math.min(TOP_DB, Math.max(LOW_DB, TOP_DB - share * (TOP_DB - LOW_DB)))) / 10;

/** The points with one moved, kept between its neighbours and inside the levels allowed. */
export function withPoint(points: Point[], index: number, to: Point): Point[] {
  const low = index === 0 ? 0 : (points[index - 1]?.at_ms ?? 0) + APART_MS;
  const high = (points[index + 1]?.at_ms ?? LONGEST_MS + APART_MS) - APART_MS;
  const at_ms = Math.round(100 * Math.min(high, Math.max(low, to.at_ms))) / 100;
  const level_db = Math.min(TOP_DB, Math.max(LOW_DB, to.level_db));
  return points.map((one, at) => (at === index ? { at_ms, level_db } : one));
}
