import { describe, expect, it } from "vitest";
import { gainOfStrength, noteOf, phrase, rootOf, type Struck, within, written } from "../src/steps/track/playIn";

const one = (at: number, length = 0.5, note = 34): Struck => ({ note, velocity: 100, at, length });

describe("what is played in", () => {
  it.each([
    ["on the grid", 100, [0, 1.5]],
    ["half of the way", 50, [0.0104, 1.4802]],
    ["as it was played", 0, [0.0208, 1.4604]],
  ])("is written %s", (_, quantise, places) => {
    const made = written([one(0.0208), one(1.4604)], 16, quantise);
    expect(made.map((each) => each.at)).toEqual(places.map((at) => expect.closeTo(at, 2)));
  });

  it("begins the next turn where it is nearest to the loop's end", () => {
    expect(written([one(15.95)], 16, 100)[0]?.at).toBe(0);
    expect(written([one(15.95)], 16, 0)[0]?.at).toBeCloseTo(15.95, 2);
  });

  it("is one voice: each ends where the next begins, the last with the loop", () => {
    const made = written([one(1, 3), one(0, 3), one(15, 4)], 16, 100);
    expect(made.map((each) => [each.at, each.length])).toEqual([
      [0, 1],
      [1, 3],
      [15, 1],
    ]);
  });

  it("keeps the later of two at one place", () => {
    expect(written([one(1, 0.5, 34), one(1.02, 0.5, 41)], 16, 100).map((each) => each.note)).toEqual([41]);
  });
});

describe("a MIDI message", () => {
  it.each([
    [[0x90, 60, 100], { on: true, note: 60, velocity: 100 }],
    [[0x93, 60, 0], { on: false, note: 60, velocity: 0 }],
    [[0x82, 60, 64], { on: false, note: 60, velocity: 64 }],
    [[0xb0, 1, 64], null],
    [[], null],
  ])("%j is %j", (data, said) => {
    expect(noteOf(data)).toEqual(said);
  });
});

it("gives a bass levels for strengths and keeps notes in its range", () => {
  expect([127, 64, 1].map(gainOfStrength)).toEqual([-0, -12, -24]);
  expect([within(90, 12, 72), within(5, 12, 72), within(40, 12, 72)]).toEqual([66, 17, 40]);
});

it("has the simulated keyboard play the tonic as hands would, in every bar", () => {
  expect(rootOf("Bb")).toBe(34);
  expect(rootOf("F")).toBe(29);
  const played = phrase(4, 34);
  expect(played.map((each) => each.note)).toEqual(Array.from({ length: 4 }, () => [34, 34, 41, 46]).flat());
  expect(written(played, 16, 100).map((each) => each.at)).toEqual(
    Array.from({ length: 4 }, (_, bar) => [0, 1.5, 2, 3].map((at) => 4 * bar + at)).flat(),
  );
});
