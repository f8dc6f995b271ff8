import { describe, expect, it } from "vitest";
import { bassOf, othersOf } from "../src/api/parts";
import type { Part } from "../src/api/types";
import { strokeAt } from "../src/steps/hits/pads";
import { doublesOf, lineParts, notesOf, playedNotes, withLine, withNotes } from "../src/steps/track/line";
import { madeTrack } from "./madeTrack";

const part = (id: string, role: string, more: Partial<Part> = {}) =>
  ({ id, name: id, role, strokes: [strokeAt(1)], doubles: null, ...more }) as Part;
const note = (at_beats: number, pitch = 34) => ({
  at_beats,
  length_beats: 0.5,
  note: pitch,
  gain_db: 0,
  slide_ms: 0,
  bend_cents: 0,
});
const track = (...others: Part[]) => madeTrack({ notes: [note(0)], others });

it("offers a line to the bass and every hit that may have one", () => {
  const made = track(part("sub", "sub"), part("rest", "context"), part("low", "rumble"), part("clap", "clap"));
  expect(lineParts(made)).toEqual(["bass", "sub", "clap"]);
});

describe("notes of a part", () => {
  it("are its strokes that have one, and changing them leaves its strokes", () => {
    const made = withNotes(track(part("sub", "sub")), "sub", () => [note(0), note(2, 41)]);
    expect(notesOf(made, "sub").map((one) => [one.at_beats, one.note])).toEqual([
      [0, 34],
      [2, 41],
    ]);
    expect(othersOf(made)[0]?.strokes.map((one) => [one.at_beats, one.note])).toEqual([
      [0, 34],
      [1, null],
      [2, 41],
    ]);
  });

  it("never come to lie on another stroke", () => {
    const made = withNotes(track(part("sub", "sub")), "sub", () => [note(1)]);
    expect(othersOf(made)[0]?.strokes).toEqual([strokeAt(1)]);
  });

  it("keep having no end until their length is set", () => {
    const open = { ...strokeAt(0), note: 34 };
    const made = track(part("sub", "sub", { strokes: [open] }));
    const moved = withNotes(made, "sub", (notes) => notes.map((one) => ({ ...one, note: 36 })));
    expect(othersOf(moved)[0]?.strokes[0]).toMatchObject({ note: 36, length_beats: null });
    const ended = withNotes(made, "sub", (notes) => notes.map((one) => ({ ...one, length_beats: 0.5 })));
    expect(othersOf(ended)[0]?.strokes[0]).toMatchObject({ length_beats: 0.5 });
  });

  it("are another's where it doubles that, whole octaves away", () => {
    const made = track(part("sub", "sub", { doubles: { of: "bass", octaves: 1 } }));
    expect(doublesOf(made, "sub")?.of).toBe("bass");
    expect(playedNotes(made, "sub").map((one) => one.note)).toEqual([46]);
    expect(notesOf(made, "sub")).toEqual([]);
  });
});

describe("a whole line", () => {
  it("takes the place of strokes, notes and a doubling, or joins them", () => {
    const before = track(
      part("sub", "sub", {
        strokes: [strokeAt(1), { ...strokeAt(3), note: 29 }],
        doubles: { of: "bass", octaves: 0 },
      }),
    );
    const replaced = withLine(before, "sub", [note(0), note(3)], true);
    expect(othersOf(replaced)[0]?.doubles).toBeNull();
    expect(othersOf(replaced)[0]?.strokes.map((one) => [one.at_beats, one.note])).toEqual([
      [0, 34],
      [3, 34],
    ]);
    const joined = withLine(before, "sub", [note(0)], false);
    expect(othersOf(joined)[0]?.strokes.map((one) => [one.at_beats, one.note])).toEqual([
      [0, 34],
      [1, null],
      [3, 29],
    ]);
    expect(bassOf(withLine(before, "bass", [note(2)], false)).notes.map((one) => one.at_beats)).toEqual([0, 2]);
  });
});
