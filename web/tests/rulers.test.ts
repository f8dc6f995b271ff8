import { describe, expect, it } from "vitest";
import { bandName, figure, noteOf, pretty, prettyText } from "../src/controls/figures";
import { rounded, shareOf, stepped, ticksOf, valueAt } from "../src/controls/scale";
import type { Parameter } from "../src/queries/parameters";

const parameter = (minimum: number, maximum: number, scale: "log" | "linear", more: Partial<Parameter> = {}) =>
  ({ minimum, maximum, scale, step: 1, unit: "", ...more }) as Parameter;

const DECAY = parameter(5, 3000, "log", { unit: "ms", step: 1 });
const CUTOFF = parameter(20, 20000, "log", { unit: "Hz", step: 1 });
const GAIN = parameter(-9, 3, "linear", { unit: "dB", step: 0.1 });
const ALL = [DECAY, CUTOFF, GAIN];

describe("a ruler's scale", () => {
  it.each(ALL)("puts its ends at its ends: $minimum to $maximum $unit", (one) => {
    expect(shareOf(one.minimum, one)).toBe(0);
    expect(shareOf(one.maximum, one)).toBe(1);
    expect(valueAt(-1, one)).toBe(one.minimum);
    expect(valueAt(2, one)).toBe(one.maximum);
  });

  it.each(ALL)("takes a place to a value and back within half a pixel of 200: $unit", (one) => {
    for (let share = 0; share <= 1; share += 0.05) {
      expect(Math.abs(shareOf(valueAt(share, one), one) - share)).toBeLessThan(0.5 / 200);
    }
  });

  it("halves a log scale at the geometric mean", () => {
    expect(shareOf(Math.sqrt(20 * 20000), CUTOFF)).toBeCloseTo(0.5, 9);
  });

  it.each([
    // value, parameter, what is kept: about 400 values over the scale
    [0.123456, GAIN, 0.12],
    [183.27, DECAY, 183.3],
    [12345.6, CUTOFF, 12350],
    [99999, CUTOFF, 20000],
    [-50, GAIN, -9],
  ])("rounds %f to what can be told apart", (value, one, kept) => {
    expect(rounded(value, one)).toBe(kept);
  });

  it.each([
    [100, 1, false, DECAY, 102],
    [100, -1, false, DECAY, 98],
    [100, 1, true, DECAY, 100.2],
    [10, 1, false, DECAY, 11],
    [0, -1, true, GAIN, -0.01],
    [2.95, 1, false, GAIN, 3],
    [5, -1, false, DECAY, 5],
  ] as [number, 1 | -1, boolean, Parameter, number][])(
    "steps from %f by %i (fine: %s)",
    (from, by, fine, one, to) => {
      expect(stepped(from, by, fine, one)).toBeCloseTo(to, 6);
    },
  );
});

describe("a ruler's landmarks", () => {
  it("are note values of the tempo on times", () => {
    const ticks = ticksOf(DECAY, { bpm: 126 });
    expect(ticks.map((tick) => tick.label)).toContain("1/4");
    // A quarter at 126 BPM (60,000 / BPM).
    expect(ticks.find((tick) => tick.label === "1/4")?.value).toBeCloseTo(476.19, 2);
  });

  it("are round figures elsewhere, with a real minus", () => {
    expect(ticksOf(GAIN, { bpm: 126 }).map((tick) => tick.label)).toEqual(["−7.5", "−5", "−2.5", "0", "2.5"]);
    expect(ticksOf(CUTOFF, { bpm: 126 }).map((tick) => tick.label)).toContain("2k");
  });

  it("are the notes given, the first of two that are too close", () => {
    const notes = [
      { value: 58.27, label: "B♭1" },
      { value: 61.74, label: "B1" },
      { value: 116.54, label: "B♭2" },
    ];
    const shown = ticksOf(parameter(25, 200, "log", { unit: "Hz" }), { bpm: 126, notes });
    expect(shown.map((tick) => tick.label)).toEqual(["B♭1", "B♭2"]);
  });

  it.each(ALL)("stay inside and apart: $unit", (one) => {
    const places = ticksOf(one, { bpm: 174 }).map((tick) => shareOf(tick.value, one));
    for (const [i, place] of places.entries()) {
      expect(place).toBeGreaterThanOrEqual(0);
      expect(place).toBeLessThanOrEqual(1);
      for (const other of places.slice(0, i)) expect(Math.abs(place - other)).toBeGreaterThan(0.13);
    }
  });
});

describe("a figure", () => {
  it.each([
    [12.34, "cents", "12 cents"],
    [58.27, "Hz", "58.3 Hz"],
    [158.27, "Hz", "158 Hz"],
    [44.64, "ms", "44.6 ms"],
    [476.19, "ms", "476 ms"],
    [-1.94, "dB", "−1.9 dB"],
    // Nothing is not below nothing.
    [-0.04, "dB", "0.0 dB"],
    [0.5, "beats", "0.50 beats"],
    [126, "BPM", "126 BPM"],
    [126.5, "BPM", "126.50 BPM"],
    [3.256, "", "3.26"],
    [null, "Hz", "–"],
    [Number.NaN, "dB", "–"],
    [Number.POSITIVE_INFINITY, "dB", "–"],
  ])("%f %s reads %s", (value, unit, text) => {
    expect(figure(value, unit)).toBe(text);
  });

  it.each([
    [3.2, "+3.2 dB"],
    [-3.2, "−3.2 dB"],
    [0.01, "0.0 dB"],
  ])("%f with its sign reads %s", (value, text) => {
    expect(figure(value, "dB", { sign: true })).toBe(text);
  });
});

describe("a note's name", () => {
  it.each([
    ["Bb1", "B♭1"],
    ["F#2", "F♯2"],
    ["Bbb1", "B♭♭1"],
    ["C3", "C3"],
  ])("%s is written %s", (plain, shown) => {
    expect(pretty(plain)).toBe(shown);
  });

  it("is found in a sentence, and nothing else is", () => {
    expect(prettyText("Land on Bb1, not Ab0; Abbey and Db are words")).toBe(
      "Land on B♭1, not A♭0; Abbey and Db are words",
    );
  });

  it.each([
    // Equal temperament, A4 = 440 Hz: note 34 is 58.27 Hz.
    [58.27, 440, "C4", "B♭1 +0 ct"],
    [58.27, 440, "C3", "B♭0 +0 ct"],
    [59.1, 440, "C4", "B♭1 +24 ct"],
    [55, 440, "C4", "A1 +0 ct"],
    [55, 432, "C4", "A1 +32 ct"],
    [27.5, 440, "C4", "A0 +0 ct"],
    [16, 440, "C4", "C0 −38 ct"],
  ] as [number, number, "C3" | "C4", string][])("%f Hz at A4 = %f, middle C %s, is %s", (hz, a4, middle, name) => {
    expect(noteOf(hz, a4, [], middle)).toBe(name);
  });

  it("is spelt as the key spells it", () => {
    expect(noteOf(58.27, 440, [{ note: 34, name: "A#1" }], "C4")).toBe("A♯1 +0 ct");
  });
});

describe("a third-octave band", () => {
  it.each([
    // Exact base-ten centres and their nominal names (IEC 61260-1).
    [25.1189, "25"],
    [31.6228, "31.5"],
    [63.0957, "63"],
    [158.489, "160"],
    [1000, "1000"],
  ])("of %f Hz is called %s", (centre, name) => {
    expect(bandName(centre)).toBe(name);
  });
});
