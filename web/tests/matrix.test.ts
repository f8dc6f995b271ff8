import { describe, expect, it } from "vitest";
import { keysOfAll, matrixOf } from "../src/steps/duck/matrix";
import { madeTrack } from "./madeTrack";

const key = (kind: string, hit_ids: string[] = []) => ({ kind, hit_ids });
const curve = (kind: string, depth_db: number, more: object = {}) => ({
  key: key(kind, kind === "hits" ? ["stab"] : []),
  depth_db,
  on: true,
  drawn: [],
  ...more,
});
const track = (bass: object, curves: Record<string, object[]>) =>
  madeTrack({
    curves: [bass],
    others: [
      { id: "pad", name: "Pad", role: "chord", ducked: { curves: curves.pad ?? [] } },
      { id: "stab", name: "Stab", role: "chord", ducked: { curves: curves.stab ?? [] } },
    ],
  });

describe("who is ducked by what", () => {
  const made = track(curve("kick", 7), {
    pad: [curve("kick", 5), curve("hits", 3), curve("hits", 4)],
    stab: [curve("kick", 6, { on: false })],
  });
  it("is a row for each part that a curve acts on, the deepest of one key", () => {
    expect(matrixOf(made)).toEqual([
      { part: "bass", depths: { kick: 7 } },
      { part: "pad", depths: { kick: 5, "hits stab": 4 } },
    ]);
  });
  it("has a column for each key there is", () => {
    expect(keysOfAll(made)).toEqual([
      { id: "kick", name: "kick" },
      { id: "hits stab", name: "stab" },
    ]);
  });
  it("reads a drawn curve by its deepest point", () => {
    const drawn = track(curve("kick", 9, { drawn: [{ gain_db: 0 }, { gain_db: -4 }, { gain_db: 0 }] }), {});
    expect(matrixOf(drawn)).toEqual([{ part: "bass", depths: { kick: 4 } }]);
  });
});
