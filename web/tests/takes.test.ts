import { describe, expect, it } from "vitest";
import type { Layer, LoadedTake, Track } from "../src/api/types";
import { intervalOf } from "../src/steps/tune/intervals";
import { keyOf, proposedUse, usesOf, withTake } from "../src/takes/uses";

const take = (name: string, landing_hz: number | null = 52.1) =>
  ({ id: "ab".repeat(12), name, landing_hz, notes: [] }) as unknown as LoadedTake;
const layer = { id: "take-1", name: "Body", source: { engine: "sweep" } } as unknown as Layer;
const track = {
  kick: { layers: [layer], locked: ["x"], front: ["y"] },
  kick_at_beats: [0],
  kick_strokes: [],
  kit: [{ id: "tom", name: "Low", role: "tom", hit: { layers: [layer] } }],
  bass: { source: "sub", root_hz: 55 },
  mix: { kick_gain_db: -6 },
} as unknown as Track;

describe("what a loaded file becomes", () => {
  it.each([
    ["My Kick 3.wav", "kick"],
    ["BD.wav", "kick"],
    ["long_808.aif", "bass"],
    ["Floor Tom.flac", "hit tom"],
    ["open-hat.ogg", "hit open hat"],
    ["hh.mp3", "hit percussion"],
    ["rimshot.wav", "hit snare"],
  ])("%s is proposed as %s", (name, use) => {
    expect(keyOf(proposedUse(name, []))).toBe(use);
  });

  it("proposes one kick and one bass, whatever the files are called", () => {
    expect(keyOf(proposedUse("kick 2.wav", [{ as: "kick" }]))).toBe("hit percussion");
  });

  it("takes a place without overwriting another", () => {
    const asKick = withTake(track, take("Found"), { as: "kick" });
    expect(asKick.kick.layers.map((one) => one.name)).toEqual(["Found"]);
    expect(asKick.kick.locked).toEqual([]);
    const asHit = withTake(withTake(track, take("Low"), { as: "hit", role: "tom" }), take("Low"), {
      as: "hit",
      role: "tom",
    });
    expect(asHit.kit.map((one) => [one.id, one.name])).toEqual([
      ["tom", "Low"],
      ["tom-2", "Low 2"],
      ["tom-3", "Low 3"],
    ]);
    const asLayer = withTake(track, take("Body"), { as: "layer", hitId: "tom" });
    expect(asLayer.kit[0]?.hit.layers.map((one) => one.name)).toEqual(["Body", "Body 2"]);
    expect(new Set(asLayer.kit[0]?.hit.layers.map((one) => one.id)).size).toBe(2);
    const asBass = withTake(track, take("Long"), { as: "bass" });
    expect([asBass.bass.source, asBass.bass.root_hz]).toEqual(["recorded note", 52.1]);
    expect(withTake(track, take("Long", null), { as: "bass" }).bass.root_hz).toBe(55);
    expect(usesOf(track, "tom").map((one) => one.key)).toContain("layer tom");
    expect(usesOf(track, "tom").map((one) => one.key)).not.toContain("layer kick");
  });
});

describe("intervals in words", () => {
  it.each([
    [0, "unison"],
    [-41, "unison −41 ct"],
    [-541, "fourth +41 ct below"],
    [702, "fifth +2 ct above"],
    [-498, "fourth −2 ct below"],
    [1200, "octave above"],
    [-1902, "fifth +2 ct below"],
  ])("%d cents is %s", (cents, words) => {
    expect(intervalOf(cents)).toBe(words);
  });
});
