import { describe, expect, it } from "vitest";
import type { Ribbon } from "../src/api/types";
import { ribbonPath, type StripBox, thickness, xOf, yOf } from "../src/strip/geometry";

const BOX: StripBox = { width: 1000, height: 180, left: 40, top: 10, bottom: 20, beats: 16, lowHz: 25, highHz: 200 };

const ribbon = (time_beats: number[], pitch_hz: number[], level_db: number[]): Ribbon => ({
  label: "",
  part: "kick",
  time_beats,
  pitch_hz,
  level_db,
  before_db: level_db,
});

/** The corners of an outline. */
function corners(path: string): [number, number][] {
  return path
    .slice(1, -1)
    .split("L")
    .map((pair) => pair.split(" ").map(Number) as [number, number]);
}

describe("the strip's scales", () => {
  it.each([
    [0, 40],
    [16, 992],
    [8, 516],
  ])("beat %f stands at %f px", (beats, x) => {
    expect(xOf(BOX, beats)).toBeCloseTo(x, 6);
  });

  it.each([
    [25, 160],
    [200, 10],
    // An octave is the same height everywhere: three of them here.
    [50, 110],
    [100, 60],
    // Outside it is held at the edge.
    [10, 160],
    [900, 10],
  ])("%f Hz stands at %f px", (hz, y) => {
    expect(yOf(BOX, hz)).toBeCloseTo(y, 6);
  });

  it("makes louder thicker, and nothing of what has faded", () => {
    const levels = [-31, -30, -20, -10, -3, 0].map((db) => thickness(db));
    expect(levels.slice(0, 2)).toEqual([0, 0]);
    for (let i = 2; i < levels.length; i++) expect(levels[i]).toBeGreaterThan(levels[i - 1] as number);
    expect(thickness(0, 0.5)).toBeCloseTo(thickness(0) / 2, 9);
  });
});

describe("a ribbon", () => {
  it("runs there and back as thick as its level", () => {
    const path = corners(ribbonPath(ribbon([0, 1, 2], [50, 50, 50], [0, 0, 0]), BOX));
    expect(path).toHaveLength(6);
    const [first, last] = [path[0], path[5]] as [[number, number], [number, number]];
    expect(first[0]).toBeCloseTo(last[0], 1);
    expect(last[1] - first[1]).toBeCloseTo(thickness(0), 1);
    expect((first[1] + last[1]) / 2).toBeCloseTo(yOf(BOX, 50), 1);
  });

  it("that falls steeply stays narrow in time", () => {
    const path = corners(ribbonPath(ribbon([1, 1.01], [200, 30], [0, 0]), BOX));
    const xs = path.map(([x]) => x);
    expect(Math.max(...xs) - Math.min(...xs)).toBeLessThan(xOf(BOX, 1.01) - xOf(BOX, 1) + 3);
  });

  it.each([
    ["past the loop's end", ribbon([15, 16, 17, 18], [50, 50, 50, 50], [0, 0, 0, 0]), 4],
    ["above the strip", ribbon([0, 1, 2], [400, 100, 50], [0, 0, 0]), 4],
    ["before it is heard", ribbon([0, 1, 2], [50, 50, 50], [-40, 0, 0]), 4],
  ])("is cut %s", (_, one, count) => {
    expect(corners(ribbonPath(one, BOX))).toHaveLength(count);
  });

  it.each([
    ["empty", ribbon([], [], [])],
    ["a single point", ribbon([1], [50], [0])],
    ["silent", ribbon([0, 1], [50, 50], [-60, -60])],
  ])("that is %s draws nothing", (_, one) => {
    expect(ribbonPath(one, BOX)).toBe("");
  });
});
