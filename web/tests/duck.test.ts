import { describe, expect, it } from "vitest";
import type { Duck, Track, TrackState } from "../src/api/types";
import { playedStems, sideOf } from "../src/audio/stems";
import { nearestValue, noteValue, snapped } from "../src/controls/noteValues";
import { asPoints, type DuckLimits, gripsOf, moved, pinsOf, strokeLine, withPoint } from "../src/plots/duckShape";
import {
  curvesOf,
  duckedOf,
  duckedParts,
  firstCurve,
  withCurve,
  withCurves,
  withDucked,
  withoutHit,
} from "../src/steps/duck/duckedParts";
import { duckInWords } from "../src/steps/duck/duckSentence";
import { madeTrack } from "./madeTrack";

const key = { kind: "kick", hit_ids: [], grid_beats: 1, offset_beats: 0 };
const duck = (change: Partial<Duck> = {}): Duck =>
  ({
    on: true,
    depth_db: 12,
    lookahead_ms: 10,
    fall_ms: 4,
    hold_ms: 100,
    return_ms: 200,
    shape: 1,
    drawn: [],
    drive: "curve",
    key,
    ...change,
  }) as unknown as Duck;
const range = (minimum: number, maximum: number) => ({ minimum, maximum });
const LIMITS: DuckLimits = {
  depth: range(0, 24),
  hold: range(0, 1500),
  back: range(20, 1500),
  fall: range(1, 60),
  ahead: range(0, 120),
  at: range(-120, 3000),
};
const DRAWN = [
  { at_ms: -20, gain_db: 0 },
  { at_ms: 0, gain_db: -9 },
  { at_ms: 150, gain_db: 0 },
];

describe("points of a curve", () => {
  it("lie where the curve turns, and move what they stand for", () => {
    expect(gripsOf(duck()).map((one) => [one.id, one.ms, one.db])).toEqual([
      ["start", -10, 0],
      ["fall", -6, -12],
      ["hold", 100, -12],
      ["back", 300, 0],
    ]);
  });

  it.each([
    ["hold", 140, -15, { hold_ms: 140, depth_db: 15 }],
    ["back", 260, 3, { return_ms: 160 }],
    ["back", 90, 0, { return_ms: 20 }],
    ["fall", -20, -30, { lookahead_ms: 24, depth_db: 24 }],
    // The lowest point stays where it is.
    ["start", -30, 0, { lookahead_ms: 30, fall_ms: 24 }],
    ["start", 50, 0, { lookahead_ms: 0, fall_ms: 1 }],
  ])("%s to %d ms and %d dB", (id, ms, db, wanted) => {
    expect(moved(duck(), id, ms, db, LIMITS)).toEqual(wanted);
  });

  it("keep their order and their ends when drawn by hand", () => {
    const drawn = duck({ drawn: DRAWN });
    expect(moved(drawn, "point-1", 900, -30, LIMITS).drawn?.[1]).toEqual({ at_ms: 149.5, gain_db: -24 });
    expect(moved(drawn, "point-2", 200, -9, LIMITS).drawn?.[2]).toEqual({ at_ms: 200, gain_db: 0 });
    expect(moved(drawn, "point-0", -500, 0, LIMITS).drawn?.[0]).toEqual({ at_ms: -120, gain_db: 0 });
  });

  it.each([
    ["between two", 60, 4],
    ["on another", 0.2, 3],
    ["before the first", -40, 3],
    ["after the last", 200, 3],
  ])("are added %s only where there is room", (_, ms, count) => {
    expect(withPoint(DRAWN, ms, -3, 24, LIMITS)).toHaveLength(count);
    expect(withPoint(DRAWN, ms, -3, 3, LIMITS)).toBe(DRAWN);
  });

  it.each([0.5, 1, 2.5])("of a return of shape %d lie on it", (shape) => {
    const made = duck({ shape });
    const line = strokeLine(made);
    for (const { at_ms, gain_db } of asPoints(made)) {
      const after = line.findIndex((one) => one.ms >= at_ms - 1e-6);
      const [one, other] = [line[Math.max(0, after - 1)], line[after]];
      if (!one || !other) throw new Error("outside the curve");
      const share = other.ms === one.ms ? 1 : (at_ms - one.ms) / (other.ms - one.ms);
      expect(one.db + share * (other.db - one.db)).toBeCloseTo(gain_db, 0);
    }
    expect(asPoints(made).length).toBe(shape === 1 ? 4 : 7);
  });
});

describe("guards at their place", () => {
  const guards = {
    start_click_db: -40,
    low_note_distortion_db: -60,
    pile_up_db: 0,
    make_up_lift_db: null,
    pumping_db: 12,
    level_jump_lu: 0,
    bar_losses_lu: [],
    late_notes: [
      { at_beats: 5.5, down_db: 6 },
      { at_beats: 12, down_db: 3 },
    ],
  };
  const limits = { start_click_db: -55, low_note_distortion_db: -45, pile_up_db: 0.5, make_up_lift_db: 1 };
  const place = { beats: 5, beatMs: 500, startMs: -20, endMs: 480, recoveryMs: 250, loopBeats: 16 };
  const pins = pinsOf(gripsOf(duck()), guards, limits, place);
  const pin = (name: string) => pins.filter((one) => one.name === name).map((one) => [one.ms, one.db, one.over]);

  it("are pinned where they occur, and say what is over its limit", () => {
    expect(pin("start click")).toEqual([[-10, 0, true]]);
    expect(pin("low-note distortion")).toEqual([[200, -6, false]]);
    expect(pin("down at the next key")).toEqual([[480, 0, false]]);
    // The other late note is not after this key.
    expect(pin("late note")).toEqual([[250, -6, true]]);
    expect(pin("make-up lift")).toEqual([]);
  });
});

describe("times in note values", () => {
  it.each([
    [0.5, "1/8"],
    [0.75, "1/8 dotted"],
    [2 / 3, "1/4 triplet"],
    [0.505, "1/8"],
    [0.53, null],
    [-0.0625, "1/64"],
  ])("%d beats are %s", (beats, name) => {
    expect(noteValue(beats)).toBe(name);
  });

  it.each([
    [0.53, "1/8 +6 %"],
    [0.5, "1/8"],
    [0.46, "1/8 −8 %"],
  ])("%d beats are nearest to %s", (beats, name) => {
    expect(nearestValue(beats)).toBe(name);
  });

  it.each([
    [0.51, 0.5],
    [0.32, 0.3125],
    [0.34, 1 / 3],
    [-0.07, -0.0625],
  ])("%d snaps to %d", (beats, wanted) => {
    expect(snapped(beats)).toBeCloseTo(wanted, 9);
  });
});

const track = (): Track =>
  madeTrack({
    sheet: { bpm: 120, bars: 4 },
    curves: [duck({ fitted: null, key: { ...key, kind: "hits", hit_ids: ["pad", "hat"] } as Duck["key"] })],
    others: [
      { id: "pad", name: "Pad", ducked: { curves: [duck()], follows: null, scale_pct: 100 } },
      { id: "hat", name: "Hat", ducked: { curves: [], follows: "pad", scale_pct: 50 } },
    ],
    trigger: { pattern: "as the kick", at_beats: [] },
  });

describe("curves of a part", () => {
  it("are changed one by one, and the bass keeps its first", () => {
    const more = withCurve(withCurve(track(), "bass", { depth_db: 3 }, 1), "bass", { depth_db: 5 });
    expect(firstCurve(more).depth_db).toBe(5);
    expect(curvesOf(more, "bass").map((one) => one.depth_db)).toEqual([5, 3]);
    const less = withCurves(more, "bass", curvesOf(more, "bass").slice(0, 1));
    expect(curvesOf(less, "bass")).toHaveLength(1);
    expect(curvesOf(withCurves(less, "bass", []), "bass")).toEqual(curvesOf(less, "bass"));
    expect(duckedParts(less)).toEqual(["bass", "pad", "hat"]);
  });

  it("end to follow where they get one of their own", () => {
    const own = withCurve(track(), "hat", { depth_db: 4 });
    expect(duckedOf(own, "hat")?.follows).toBeNull();
    expect(curvesOf(own, "hat")[0]?.depth_db).toBe(4);
    expect(duckedParts(withDucked(track(), "hat", { follows: null }))).toEqual(["bass", "pad"]);
  });

  it("go with a hit that is removed, and so does all that hung on it", () => {
    const left = withoutHit(track(), "pad");
    expect(left.parts.map((one) => one.id)).toEqual(["kick", "bass", "hat"]);
    expect(duckedOf(left, "hat")?.follows).toBeNull();
    expect(firstCurve(left).key.hit_ids).toEqual(["hat"]);
  });

  it.each([
    ["bass", "−12.0 dB, from 10.0 ms before"],
    ["hat", "follows Pad, 50 % of its gain"],
  ])("of %s are said in one line", (part, said) => {
    expect(duckInWords(track(), part)).toContain(said);
  });

  it("that are drawn or driven are said as such, and those that are off not at all", () => {
    const drawn = withCurve(track(), "pad", { drawn: DRAWN });
    expect(duckInWords(drawn, "pad")).toBe("drawn by 3 points down to −9.0 dB, back after 150 ms");
    expect(duckInWords(withCurve(track(), "pad", { on: false }), "pad")).toBeNull();
  });
});

describe("stems that are played", () => {
  const low = ["kick", "bass", "pad"].flatMap((part) =>
    ["heard", "unducked", "before"].map((state) => ({ part, state })),
  );
  const hat = ["heard", "before"].map((state) => ({ part: "hat-before", state }));
  const state = { stems: [...low, ...hat] } as unknown as TrackState;

  it.each([
    [null, "heard", "heard"],
    ["pad", "unducked", "heard"],
    ["bass", "heard", "unducked"],
    // A part without a duck is heard as it is.
    ["hat-before", "heard", "heard"],
  ])("with %s free of its duck, each part is heard once on either side", (free, pad, bass) => {
    const stems = playedStems(state, free);
    const after = { kick: "heard", bass, pad, "hat-before": "heard" };
    const heard = stems.filter((stem) => sideOf(stem) === "after").map(({ part, state }) => [part, state]);
    expect(Object.fromEntries(heard)).toEqual(after);
    const before = stems.filter((stem) => sideOf(stem) === "before").map(({ part }) => part);
    expect([...before].sort()).toEqual(Object.keys(after).sort());
    expect(stems.length).toBe(8);
  });
});
