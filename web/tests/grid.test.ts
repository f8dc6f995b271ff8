import { describe, expect, it } from "vitest";
import { bassOf, kickOf, othersOf } from "../src/api/parts";
import type { BassNote, Track } from "../src/api/types";
import { plainName } from "../src/controls/figures";
import { strokeAt } from "../src/steps/hits/pads";
import { cleared, copied, FILLS, filledRow, pasted, repeated } from "../src/steps/track/bars";
import { rowsOf } from "../src/steps/track/grid";
import { madeTrack } from "./madeTrack";

const track = (bars: number, kicks: number[], notes: [number, number][]): Track =>
  madeTrack({
    sheet: { bars },
    strokes: kicks.map((at) => (at === 1 ? { ...strokeAt(1, 60), tune_cents: 300 } : strokeAt(at))),
    others: [{ id: "hat", strokes: [{ ...strokeAt(3.5, 90), shift_ms: 2 }] }],
    notes: notes.map(([at_beats, length_beats]) => ({ at_beats, length_beats, note: 34, gain_db: 0 })),
  });

describe("rows of the grid", () => {
  const rungs = [{ note: 34 }, { note: 36 }, { note: 46 }];
  const notes = [{ note: 35 }] as unknown as BassNote[];
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

const kicksOf = (now: Track) => kickOf(now).strokes.map((one) => one.at_beats);
const notesOf = (now: Track) => bassOf(now).notes.map((one) => one.at_beats);
const hatsOf = (now: Track) => othersOf(now)[0]?.strokes.map((one) => one.at_beats);

describe("bars repeated to the loop's end", () => {
  it.each([
    ["one bar over four", 4, [0, 1], [[2, 1]], [1, 1], [0, 1, 4, 5, 8, 9, 12, 13], [2, 6, 10, 14]],
    ["two bars over five: the last is half", 5, [0, 5], [[7, 1]], [1, 2], [0, 5, 8, 13, 16], [7, 15]],
    ["the second over the third, the first stays", 3, [0, 4, 5], [[9, 1]], [2, 2], [0, 4, 5, 8, 9], []],
    ["a full loop stays", 2, [0, 4], [[7, 4]], [1, 2], [0, 4], [7]],
  ] as [string, number, number[], [number, number][], [number, number], number[], number[]][])(
    "%s",
    (_, bars, kicks, notes, [first, last], wantedKicks, wantedNotes) => {
      const after = repeated(track(bars, kicks, notes), { first, last }, null);
      expect(kicksOf(after)).toEqual(wantedKicks);
      expect(notesOf(after)).toEqual(wantedNotes);
    },
  );

  it("keeps strength, timing and pitch of each stroke, and cuts a note at the loop's end", () => {
    const after = repeated(track(2, [1], [[3, 2]]), { first: 1, last: 1 }, null);
    expect(kickOf(after).strokes.map((one) => [one.at_beats, one.velocity, one.tune_cents])).toEqual([
      [1, 60, 300],
      [5, 60, 300],
    ]);
    expect(othersOf(after)[0]?.strokes.map((one) => [one.at_beats, one.shift_ms])).toEqual([
      [3.5, 2],
      [7.5, 2],
    ]);
    expect(bassOf(after).notes.at(-1)).toMatchObject({ at_beats: 7, length_beats: 1 });
  });

  it("touches the row alone that is meant", () => {
    const after = repeated(track(2, [1], [[3, 1]]), { first: 1, last: 1 }, "hat");
    expect([kicksOf(after), notesOf(after), hatsOf(after)]).toEqual([[1], [3], [3.5, 7.5]]);
  });
});

describe("bars copied, put in and cleared", () => {
  const before = track(4, [0, 2, 9], [[1, 1]]);
  it.each([
    ["over what is there", 3, null, [0, 2, 8, 10], [1, 9], [3.5, 11.5]],
    ["of one row only", 3, "kick", [0, 2, 8, 10], [1], [3.5]],
    ["at the end", 4, null, [0, 2, 9, 12, 14], [1, 13], [3.5, 15.5]],
  ] as [string, number, string | null, number[], number[], number[]][])("%s", (_, bar, row, kicks, notes, hats) => {
    const after = pasted(before, copied(before, { first: 1, last: 1 }, row), bar);
    expect([kicksOf(after), notesOf(after), hatsOf(after)]).toEqual([kicks, notes, hats]);
  });

  it("leaves out what reaches past the loop", () => {
    const after = pasted(before, copied(before, { first: 1, last: 3 }, null), 4);
    expect(kicksOf(after)).toEqual([0, 2, 9, 12, 14]);
  });

  it("clears bars of a row or of all", () => {
    expect(kicksOf(cleared(before, { first: 3, last: 3 }, null))).toEqual([0, 2]);
    const hats = cleared(before, { first: 1, last: 4 }, "hat");
    expect([hatsOf(hats), kicksOf(hats)]).toEqual([[], [0, 2, 9]]);
  });
});

describe("a row filled", () => {
  it.each([
    ["Every beat", [0, 1, 2, 3, 4, 5, 6, 7]],
    ["Off-beats", [0.5, 1.5, 2.5, 3.5, 4.5, 5.5, 6.5, 7.5]],
    ["Eighths", Array.from({ length: 16 }, (_, i) => i / 2)],
    ["Sixteenths", Array.from({ length: 32 }, (_, i) => i / 4)],
  ] as [string, number[]][])("%s", (name, places) => {
    const fill = FILLS.find((one) => one.name === name) as (typeof FILLS)[number];
    const after = filledRow(track(2, [1], []), "hat", { first: 1, last: 2 }, fill);
    expect([hatsOf(after), kicksOf(after)]).toEqual([places, [1]]);
  });

  it("in some bars leaves the others", () => {
    const after = filledRow(track(3, [1, 9], []), "kick", { first: 2, last: 2 }, { from: 0, every: 2 });
    expect(kicksOf(after)).toEqual([1, 4, 6, 9]);
  });
});
