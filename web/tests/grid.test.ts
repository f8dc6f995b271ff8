import { describe, expect, it } from "vitest";
import type { Track } from "../src/api/types";
import { plainName } from "../src/controls/figures";
import { barsUsed, filled, rowsOf } from "../src/steps/track/grid";

const track = (bars: number, kicks: number[], notes: [number, number][]): Track =>
  ({
    sheet: { bars },
    kick_at_beats: kicks,
    kick_strokes: [{ at_beats: 1, velocity: 60, shift_ms: 0, tune_cents: 300 }],
    kit: [{ id: "hat", strokes: [{ at_beats: 3.5, velocity: 90, shift_ms: 2, tune_cents: 0 }] }],
    bass_notes: notes.map(([at_beats, length_beats]) => ({ at_beats, length_beats, note: 34, gain_db: 0 })),
  }) as unknown as Track;

describe("rows of the grid", () => {
  const rungs = [{ note: 34 }, { note: 36 }, { note: 46 }];
  const notes = [{ note: 35 }] as unknown as Track["bass_notes"];
  it.each([
    ["the key's notes in range, and what is used", null, [36, 35, 34]],
    ["every note where asked", [33, 37], [37, 36, 35, 34, 33]],
  ] as [string, [number, number] | null, number[]][])("%s", (_, every, rows) => {
    expect(rowsOf(rungs, notes, 30, 41, every)).toEqual(rows);
  });

  it("names what the key does not spell", () => {
    expect([plainName(34, "C4"), plainName(34, "C3"), plainName(61, "C4")]).toEqual(["B♭1", "B♭0", "C♯4"]);
  });
});

describe("a pattern repeated to the loop's end", () => {
  it.each([
    ["one bar over four", 4, [0, 1], [[2, 1]] as [number, number][], 1, [0, 1, 4, 5, 8, 9, 12, 13], [2, 6, 10, 14]],
    [
      "two bars over five: the last is half",
      5,
      [0, 5],
      [[7, 1]] as [number, number][],
      2,
      [0, 5, 8, 13, 16],
      [7, 15],
    ],
    ["a full loop stays", 2, [0, 4], [[7, 4]] as [number, number][], 2, [0, 4], [7]],
  ])("%s", (_, bars, kicks, notes, used, wantedKicks, wantedNotes) => {
    const before = track(bars, kicks, notes);
    expect(barsUsed(before)).toBe(used);
    const after = filled(before);
    expect(after.kick_at_beats).toEqual(wantedKicks);
    expect(after.bass_notes.map((note) => note.at_beats)).toEqual(wantedNotes);
  });

  it("keeps strength, timing and pitch of each stroke, and cuts a note at the loop's end", () => {
    const after = filled(track(2, [1], [[3, 2]]));
    expect(after.kick_strokes.map((one) => [one.at_beats, one.velocity, one.tune_cents])).toEqual([
      [1, 60, 300],
      [5, 60, 300],
    ]);
    expect(after.kit[0]?.strokes.map((one) => [one.at_beats, one.shift_ms])).toEqual([
      [3.5, 2],
      [7.5, 2],
    ]);
    expect(after.bass_notes.at(-1)).toMatchObject({ at_beats: 7, length_beats: 1 });
  });

  it("leaves an empty track empty", () => {
    const empty = { ...track(4, [], []), kick_strokes: [], kit: [] } as unknown as Track;
    expect(barsUsed(empty)).toBe(0);
    expect(filled(empty)).toBe(empty);
  });
});
