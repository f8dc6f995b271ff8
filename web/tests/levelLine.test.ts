import { describe, expect, it } from "vitest";
import { partOf } from "../src/api/parts";
import type { Track } from "../src/api/types";
import { asPlaces, asTimes, copiedFromBarOne, withLine } from "../src/steps/hits/levelLine";
import { madeTrack } from "./madeTrack";

describe("a level line", () => {
  const points = [
    { at_beats: 0, gain_db: 0 },
    { at_beats: 2.5, gain_db: -6 },
  ];
  it("is drawn in time and kept in beats", () => {
    const drawn = asTimes(points, 500);
    expect(drawn).toEqual([
      { at_ms: 0, level_db: 0 },
      { at_ms: 1250, level_db: -6 },
    ]);
    expect(asPlaces(drawn, 500, 16)).toEqual(points);
  });
  it("ends with the loop, no two points at one place", () => {
    const drawn = [
      { at_ms: 7000, level_db: 0 },
      { at_ms: 9000, level_db: -3 },
      { at_ms: 9500, level_db: -9 },
    ];
    expect(asPlaces(drawn, 500, 16)).toEqual([
      { at_beats: 14, gain_db: 0 },
      { at_beats: 16, gain_db: -3 },
    ]);
  });
  it("is copied from bar to bar, in place of what stood there", () => {
    const made = copiedFromBarOne([...points, { at_beats: 5, gain_db: -20 }], 3);
    expect(made.map((one) => one.at_beats)).toEqual([0, 2.5, 4, 6.5, 8, 10.5]);
    expect(made.map((one) => one.gain_db)).toEqual([0, -6, 0, -6, 0, -6]);
    expect(copiedFromBarOne([{ at_beats: 5, gain_db: -1 }], 3)).toEqual([{ at_beats: 5, gain_db: -1 }]);
  });
  it("is one for each part, and goes with its last point", () => {
    const track = withLine(madeTrack({}), "bass", points);
    const lineOf = (made: Track, part: string) => partOf(made, part)?.level_line;
    expect(lineOf(withLine(track, "bass", []), "bass")).toBeNull();
    expect(lineOf(withLine(track, "kick", points), "bass")).toEqual({ points });
    expect(lineOf(withLine(track, "bass", points.slice(0, 1)), "bass")).toEqual({ points: points.slice(0, 1) });
  });
});
