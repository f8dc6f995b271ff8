import { describe, expect, it } from "vitest";
import { type Band, bandSaid, edgesOf } from "../src/audio/band";

describe("parts of the spectrum that are heard alone", () => {
  it.each([
    ["low", 300, [5, 300]],
    ["low", 120, [5, 120]],
    ["middle", 300, [300, 4000]],
    ["top", 300, [4000, 23520]],
    ["all", 300, [5, 23520]],
  ] as [Band, number, number[]][])("%s with the low end up to %i Hz", (band, lowHz, edges) => {
    expect(edgesOf(band, lowHz, 48000).map(Math.round)).toEqual(edges);
  });

  it("says what is heard", () => {
    expect(bandSaid("low", 300)).toBe("Low end, below 300 Hz");
    expect(bandSaid("middle", 250)).toBe("Middle, 250 Hz to 4 kHz");
  });
});
