import type { CurvePoint, Duck, DuckedPart } from "../api/types";

export interface Range {
  minimum: number;
  maximum: number;
}

export interface DuckLimits {
  depth: Range;
  hold: Range;
  back: Range;
  fall: Range;
  ahead: Range;
  at: Range;
}

/** A point of a curve that the hand can take: its time after the key, its gain. */
export interface Grip {
  id: string;
  name: string;
  ms: number;
  db: number;
}

const clamp = (value: number, { minimum, maximum }: Range) =>
  Number(Math.min(maximum, Math.max(minimum, value)).toFixed(1));

/** Drawn points keep this far apart, ms. */
const APART_MS = 0.5;

/** When the return begins, ms after the key. */
export const holdEnd = (duck: Duck) => Math.max(duck.hold_ms, duck.fall_ms - duck.lookahead_ms);

/** Every point of a curve, in order of time. */
export function gripsOf(duck: Duck): Grip[] {
  if (duck.drawn.length > 0)
    return duck.drawn.map((one, i) => ({ id: `point-${i}`, name: `point ${i + 1}`, ms: one.at_ms, db: one.gain_db }));
  const end = holdEnd(duck);
  return [
    { id: "start", name: "begins", ms: -duck.lookahead_ms, db: 0 },
    { id: "fall", name: "is down", ms: duck.fall_ms - duck.lookahead_ms, db: -duck.depth_db },
    { id: "hold", name: "held until", ms: end, db: -duck.depth_db },
    { id: "back", name: "is back", ms: end + duck.return_ms, db: 0 },
  ];
}

/** What of a curve changes when a point is moved to a time and a gain. */
export function moved(duck: Duck, id: string, ms: number, db: number, limits: DuckLimits): Partial<Duck> {
  if (id.startsWith("point-")) return { drawn: movedPoint(duck.drawn, Number(id.slice(6)), ms, db, limits) };
  const depth = { depth_db: clamp(-db, limits.depth) };
  if (id === "hold") return { ...depth, hold_ms: clamp(ms, limits.hold) };
  if (id === "back") return { return_ms: clamp(ms - holdEnd(duck), limits.back) };
  if (id === "start") {
    const low = duck.fall_ms - duck.lookahead_ms;
    const ahead = clamp(-ms, limits.ahead);
    return { lookahead_ms: ahead, fall_ms: clamp(low + ahead, limits.fall) };
  }
  return { ...depth, lookahead_ms: clamp(duck.fall_ms - ms, limits.ahead) };
}

function movedPoint(points: CurvePoint[], index: number, ms: number, db: number, limits: DuckLimits): CurvePoint[] {
  const before = points[index - 1]?.at_ms ?? limits.at.minimum - APART_MS;
  const after = points[index + 1]?.at_ms ?? limits.at.maximum + APART_MS;
  const at_ms = clamp(ms, { minimum: before + APART_MS, maximum: after - APART_MS });
  // It begins and ends at full level.
  const outer = index === 0 || index === points.length - 1;
  const gain_db = outer ? 0 : -clamp(-db, limits.depth);
  return points.map((one, i) => (i === index ? { at_ms, gain_db: gain_db + 0 } : one));
}

/** What stands at a place of the duck's time axis. */
export function placeName(beat: number, { key }: Duck): string {
  if (beat === 0) return key.kind === "kick" ? "kick" : key.kind === "notes" ? "note" : "key";
  return beat === 1 ? "next beat" : `${beat} beat`;
}

const RETURN_STEPS = 24;

/** One stroke of a curve as a line, for as long as the hand is ahead of what was measured. */
export function strokeLine(duck: Duck): { ms: number; db: number }[] {
  const grips = gripsOf(duck);
  const back = grips.at(-1);
  if (duck.drawn.length > 0 || !back) return grips;
  const from = holdEnd(duck);
  const bent = Array.from({ length: RETURN_STEPS - 1 }, (_, i) => {
    const share = (i + 1) / RETURN_STEPS;
    return { ms: from + share * duck.return_ms, db: -duck.depth_db * (1 - share ** duck.shape) };
  });
  return [...grips.slice(0, -1), ...bent, back];
}

/** A curve as points to draw on: its corners, and a few along a bent return. */
export function asPoints(duck: Duck): CurvePoint[] {
  const [start, low, hold, back] = gripsOf(duck);
  if (!start || !low || !hold || !back) return duck.drawn;
  const bent = Math.abs(duck.shape - 1) > 0.05 ? [0.25, 0.5, 0.75] : [];
  const points = [
    { at_ms: start.ms, gain_db: 0 },
    { at_ms: low.ms, gain_db: low.db },
    ...(hold.ms - low.ms >= APART_MS ? [{ at_ms: hold.ms, gain_db: hold.db }] : []),
    ...bent.map((share) => ({
      at_ms: hold.ms + share * duck.return_ms,
      gain_db: -duck.depth_db * (1 - share ** duck.shape),
    })),
    { at_ms: back.ms, gain_db: 0 },
  ];
  return points.map((one) => ({ at_ms: Number(one.at_ms.toFixed(1)), gain_db: Number(one.gain_db.toFixed(2)) + 0 }));
}

/** Drawn points with one more, where there is room for it. */
export function withPoint(
  points: CurvePoint[],
  ms: number,
  db: number,
  most: number,
  limits: DuckLimits,
): CurvePoint[] {
  const at_ms = clamp(ms, limits.at);
  const near = points.some((one) => Math.abs(one.at_ms - at_ms) < 2 * APART_MS);
  const inside = at_ms > (points[0]?.at_ms ?? 0) && at_ms < (points.at(-1)?.at_ms ?? 0);
  if (near || !inside || points.length >= most) return points;
  const made = [...points, { at_ms, gain_db: -clamp(-db, limits.depth) + 0 }];
  return made.sort((one, other) => one.at_ms - other.at_ms);
}

export interface Pin {
  name: string;
  ms: number;
  db: number;
  /** What was measured, and whether it is over its limit. */
  value: number;
  unit: string;
  over: boolean;
}

export interface GuardLimits {
  start_click_db: number;
  low_note_distortion_db: number;
  pile_up_db: number;
  make_up_lift_db: number;
}

/** Where a compressor's gain turns, as it was measured: where it begins to go down, is lowest, ends. */
export function turnsOf(earlyMs: number, picture: { gain_ms: number[]; gain_db: number[] }): Grip[] {
  const { gain_ms: at, gain_db: db } = picture;
  const lowest = db.indexOf(Math.min(...db.filter((_, i) => (at[i] ?? 0) >= -earlyMs)));
  const last = at.length - 1;
  return [
    { id: "start", name: "begins", ms: -earlyMs, db: 0 },
    { id: "low", name: "lowest", ms: at[lowest] ?? 0, db: db[lowest] ?? 0 },
    { id: "end", name: "ends", ms: at[last] ?? 0, db: db[last] ?? 0 },
  ];
}

/** Guards that have a place on the curve, each where it occurs. */
export function pinsOf(
  grips: Grip[],
  guards: DuckedPart["guards"],
  limits: GuardLimits,
  place: { beats: number; beatMs: number; startMs: number; endMs: number; recoveryMs: number; loopBeats: number },
): Pin[] {
  const deepest = Math.min(...grips.map((one) => one.db));
  const last = grips.at(-1)?.ms ?? 0;
  const hold = grips.filter((one) => one.db === deepest).at(-1)?.ms ?? 0;
  const pins: Pin[] = [];
  const add = (
    name: string,
    ms: number,
    db: number,
    value: number | null | undefined,
    unit: string,
    limit: number,
  ) => {
    if (value !== null && value !== undefined) pins.push({ name, ms, db, value, unit, over: value > limit });
  };
  add("start click", grips[0]?.ms ?? 0, 0, guards.start_click_db, "dB", limits.start_click_db);
  const bent = (hold + last) / 2;
  add("low-note distortion", bent, deepest / 2, guards.low_note_distortion_db, "dB", limits.low_note_distortion_db);
  const inside = ((grips[1]?.ms ?? 0) + hold) / 2;
  add("range of the gain", inside, deepest, guards.pumping_db, "dB", Number.POSITIVE_INFINITY);
  add("down at the next key", place.endMs, 0, guards.pile_up_db, "dB", limits.pile_up_db);
  add("make-up lift", place.recoveryMs, 0, guards.make_up_lift_db, "dB", limits.make_up_lift_db);
  for (const note of guards.late_notes) {
    const since = (note.at_beats - place.beats + place.loopBeats) % place.loopBeats;
    const ms = since * place.beatMs;
    if (ms <= place.endMs) add("late note", ms, -note.down_db, note.down_db, "dB", 0);
  }
  return pins.filter((one) => one.ms >= place.startMs && one.ms <= place.endMs);
}
