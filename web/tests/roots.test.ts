import { describe, expect, it } from "vitest";
import type { Sheet } from "../src/api/types";
import { barRoots, proposed, withRoot } from "../src/steps/track/roots";

describe("roots of the bars", () => {
  it("are one for each bar of the loop, none where none is said", () => {
    expect(barRoots({ bars: 3, roots: [10] } as unknown as Sheet)).toEqual([10, null, null]);
    expect(barRoots({ bars: 1, roots: [10, 5] } as unknown as Sheet)).toEqual([10]);
  });
  it("change one at a time and end with the last that is said", () => {
    expect(withRoot([10, null, null], 2, 0)).toEqual([10, null, 0]);
    expect(withRoot([10, null, 0], 2, null)).toEqual([10]);
    expect(withRoot([0], 0, null)).toEqual([]);
  });
  it("are proposed where something sounds; C is a root and not none", () => {
    expect(proposed([{ guesses: [{ root: 0 }] }, { guesses: [] }])).toEqual([0, null]);
  });
});
