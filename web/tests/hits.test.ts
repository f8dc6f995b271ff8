import { describe, expect, it } from "vitest";
import { kickOf, moved, othersOf, withPart } from "../src/api/parts";
import type { Hit, Layer, MeasuredStart, Part, Track, Variation } from "../src/api/types";
import { atLevel, levelAt, type Point, withPoint } from "../src/steps/hits/drawn";
import { newLayer, renamed, wavePath } from "../src/steps/hits/layers";
import { hitFrom, hitsOf, PAD_CODES, padLabel, strokeAt, strokeKey, withHit } from "../src/steps/hits/pads";
import { newProcessor } from "../src/steps/hits/processors";
import { sorted } from "../src/steps/hits/sorting";
import { onSample, zoomed } from "../src/steps/hits/zoom";
import { madeTrack } from "./madeTrack";

const hit = (id = "body"): Hit => ({ layers: [{ id, name: "Body", source: { engine: "sweep" } }] }) as unknown as Hit;

const track = (): Track =>
  madeTrack({
    sheet: { bpm: 126, sample_rate: 48000 },
    kick: hit(),
    strokes: [strokeAt(0), { ...strokeAt(1, 90), shift_ms: -4 }, strokeAt(2)],
    others: [{ id: "clap", name: "Clap", role: "clap", hit: hit(), strokes: [], gain_db: -10, choke: 0 }],
  });

describe("what is struck as one list", () => {
  it("has the kick among it, with its own level and what each stroke has", () => {
    const [kick, clap] = hitsOf(track());
    expect(kick).toMatchObject({ id: "kick", gain_db: -6 });
    expect(kick?.strokes.map((one) => [one.at_beats, one.velocity])).toEqual([
      [0, 127],
      [1, 90],
      [2, 127],
    ]);
    expect(clap?.id).toBe("clap");
  });

  it("keeps a changed kick's strokes in the order they are played in", () => {
    const changed = withHit(track(), "kick", (one) => ({
      ...one,
      gain_db: -3,
      strokes: [...one.strokes, strokeAt(0.5, 60)].filter((each) => each.at_beats !== 2),
    }));
    expect(kickOf(changed).strokes.map((one) => [one.at_beats, one.velocity])).toEqual([
      [0, 127],
      [0.5, 60],
      [1, 90],
    ]);
    expect(kickOf(changed).gain_db).toBe(-3);
    expect(othersOf(withHit(changed, "clap", (one) => ({ ...one, gain_db: 0 })))[0]?.gain_db).toBe(0);
  });

  it("goes one place earlier or later, and no further than the ends", () => {
    const order = (made: Track) => made.parts.map((one) => one.id);
    expect(order(moved(track(), "clap", -1))).toEqual(["kick", "clap", "bass"]);
    expect(order(moved(track(), "kick", 1))).toEqual(["bass", "kick", "clap"]);
    expect(order(moved(track(), "kick", -1))).toEqual(["kick", "bass", "clap"]);
  });

  it("gives a new hit a name and an id that are free", () => {
    const start = { role: "clap", hit: hit(), strokes: [], choke: 0 } as unknown as MeasuredStart;
    const made = hitFrom(start, track());
    expect([made.id, made.name]).toEqual(["clap-2", "Clap 2"]);
    const open = hitFrom({ ...start, role: "open hat" }, track());
    expect([open.id, open.name]).toEqual(["open-hat", "Open hat"]);
  });

  it("names a pad for every hit, and no key twice", () => {
    expect(new Set(PAD_CODES).size).toBe(PAD_CODES.length);
    expect(PAD_CODES.length).toBeGreaterThanOrEqual(17);
    expect(PAD_CODES.map((_, index) => padLabel(index))).not.toContain("B");
    expect([padLabel(0), padLabel(6), padLabel(7)]).toEqual(["Z", ",", "."]);
  });

  it("knows a stroke by all that changes its sound", () => {
    const now = track();
    const clap = othersOf(now)[0] as Part;
    const other = withPart(now, "kick", (one) => ({ ...one, hit: hit("other") }));
    const key = strokeKey(now, clap, 100, null);
    expect(strokeKey(now, { ...clap, gain_db: -9 }, 100, null)).not.toBe(key);
    expect(strokeKey({ ...now, sheet: { ...now.sheet, bpm: 130 } }, clap, 100, null)).not.toBe(key);
    expect(strokeKey(other, clap, 100, null)).toBe(key);
    // Further away it is another sound, and where what it is kept behind moves.
    const far = { ...clap, distance: { far_pct: 30, behind: null, ring_ms: 450 } };
    expect(strokeKey(now, far, 100, null)).not.toBe(key);
    const behind = { ...far, distance: { ...far.distance, behind: "kick" } };
    const moved = withPart(now, "kick", (one) => ({ ...one, distance: far.distance }));
    expect(strokeKey(moved, behind, 100, null)).not.toBe(strokeKey(now, behind, 100, null));
    const rumble = { ...clap, hit: { layers: [{ source: { engine: "rumble" } }] } as unknown as Hit };
    expect(strokeKey(other, rumble, 100, null)).not.toBe(strokeKey(now, rumble, 100, null));
  });
});

describe("layers", () => {
  it("are named after what is there already", () => {
    const first = newLayer("clap", [], 55);
    const second = newLayer("clap", [first], 55);
    expect([second.id, second.name]).toEqual(["clap-2", "Clap 2"]);
    expect(newLayer("tail", [], 58.2704).source).toEqual({ engine: "tail", landing_hz: 58.27 });
    const kept = renamed({ ...first, muted: true } as Layer, "Clap", [first]);
    expect([kept.id, kept.name, kept.muted]).toEqual(["clap-2", "Clap 2", false]);
  });

  it("are drawn inside their box, silence too", () => {
    const numbers = (path: string) => (path.match(/-?\d+(\.\d+)?/g) ?? []).map(Number);
    const drawn = numbers(wavePath([-1, -0.5], [1, 0.2], 100, 40, 1));
    expect(Math.max(...drawn)).toBeLessThanOrEqual(100);
    expect(Math.min(...drawn)).toBeGreaterThanOrEqual(0);
    expect(wavePath([0], [0], 100, 40, 0)).not.toContain("NaN");
  });
});

describe("the time axis", () => {
  const axis = { start_ms: -5, span_ms: 400, whole_ms: 400 };

  it("zooms around the place that is pointed at, not below 2 ms, and is whole again", () => {
    const near = zoomed(axis, 0.25, 0.5);
    expect(near).toEqual({ from_ms: 45, span_ms: 200 });
    expect(zoomed({ ...axis, start_ms: 45, span_ms: 200 }, 0.25, 4)).toBeNull();
    expect(zoomed({ ...axis, span_ms: 3 }, 0.5, 0.1)?.span_ms).toBe(2);
  });

  it.each([44100, 48000, 96000])("keeps starts on samples at %d Hz and inside the ruler", (rate) => {
    for (const ms of [0.013, 7.77, -12.3456]) {
      const frames = (onSample(ms, rate) * rate) / 1000;
      expect(Math.abs(frames - Math.round(frames))).toBeLessThan(0.01);
      expect(Math.abs(onSample(ms, rate) - ms)).toBeLessThanOrEqual(500 / rate + 1e-4);
    }
    expect([onSample(-900, rate), onSample(900, rate)]).toEqual([-50, 200]);
  });
});

describe("drawn envelopes", () => {
  const points: Point[] = [
    { at_ms: 0, level_db: 0 },
    { at_ms: 100, level_db: -6 },
    { at_ms: 200, level_db: -60 },
  ];

  it("keep a moved point between its neighbours and in its range", () => {
    expect(withPoint(points, 1, { at_ms: 900, level_db: 40 })[1]).toEqual({ at_ms: 199.9, level_db: 12 });
    expect(withPoint(points, 1, { at_ms: -5, level_db: -90 })[1]).toEqual({ at_ms: 0.1, level_db: -60 });
    expect(withPoint(points, 0, { at_ms: -5, level_db: 0 })[0]?.at_ms).toBe(0);
  });

  it("read back the level they were put at", () => {
    for (const db of [12, 0, -6, -33.3, -60]) expect(atLevel(levelAt(db))).toBeCloseTo(db, 5);
  });
});

describe("what is made new", () => {
  it("has the model's defaults", () => {
    const made = newProcessor("limiter", {
      kind: { default: "x" },
      on: { default: true },
      ceiling_db: { default: -1 },
    });
    expect(made).toEqual({ kind: "limiter", on: true, ceiling_db: -1 });
  });

  it("is sorted by what it measures, least first, what has none last", () => {
    const place = (index: number, length_ms: number | null) =>
      ({ index, small: { features: { length_ms } } }) as unknown as Variation;
    const all = [place(0, 300), place(1, null), place(2, 90), place(3, 300)];
    expect(sorted(all, "length_ms").map((one) => one.index)).toEqual([2, 0, 3, 1]);
    expect(sorted(all, "rolled")).toBe(all);
    // From the one that is liked, by what was measured elsewhere; as rolled until that has come.
    expect(sorted(all, "liked", [4, 0, null, 2]).map((one) => one.index)).toEqual([1, 3, 0, 2]);
    expect(sorted(all, "liked")).toBe(all);
    const far = (index: number, away_db: number | null) => ({ index, away_db }) as unknown as Variation;
    expect(sorted([far(0, 3), far(1, null), far(2, 1)], "away").map((one) => one.index)).toEqual([2, 0, 1]);
  });
});
