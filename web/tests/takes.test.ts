import { describe, expect, it } from "vitest";
import { bassOf, instrumentOf, kickOf, othersOf, withInstrument, withPart } from "../src/api/parts";
import type { Hit, Layer, LoadedTake, Part, Track } from "../src/api/types";
import { hitsOf, strokeAt } from "../src/steps/hits/pads";
import { intervalOf } from "../src/steps/tune/intervals";
import { claimedTwice, keyOf, proposedUse, replacedBy, type Use, usesOf, withTake } from "../src/takes/uses";
import { madeTrack } from "./madeTrack";

const PLAIN = { strokes: [], notes: [], chain: [], ducked: { curves: [] } } as unknown as Partial<Part>;

const take = (name: string, landing_hz: number | null = 52.1) =>
  ({ id: "ab".repeat(12), name, landing_hz, notes: [] }) as unknown as LoadedTake;
const layer = { id: "take-1", name: "Body", source: { engine: "sweep" } } as unknown as Layer;
const track = madeTrack({
  kick: { layers: [layer], locked: ["x"], front: ["y"] } as unknown as Hit,
  strokes: [strokeAt(0)],
  others: [{ id: "tom", name: "Low", role: "tom", hit: { layers: [layer] } }],
  bass: { source: "sub", root_hz: 55 },
});

const hitOfLayers = () => kickOf(track).hit;

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

  it.each([
    ["Found 3.wav", "clap", "hit clap"],
    ["Found 3.wav", "kick", "hit percussion"],
    ["Found 3.wav", undefined, "hit percussion"],
    ["Floor Tom.flac", "kick", "hit tom"],
  ] as const)("%s, measured as a %s, is proposed as %s", (name, read, use) => {
    expect(keyOf(proposedUse(name, [], read))).toBe(use);
  });

  it("proposes one kick and one bass, whatever the files are called", () => {
    expect(keyOf(proposedUse("kick 2.wav", [{ as: "kick" }]))).toBe("hit percussion");
    expect(keyOf(proposedUse("kick loop.wav", [{ as: "kick" }]))).toBe("hit percussion");
    expect(keyOf(proposedUse("808.wav", [{ as: "line" }]))).toBe("hit percussion");
  });

  it("takes a place without overwriting another", () => {
    const asKick = withTake(track, PLAIN, take("Found"), { as: "kick" });
    expect(kickOf(asKick).hit.layers.map((one) => one.name)).toEqual(["Found"]);
    expect(kickOf(asKick).hit.locked).toEqual([]);
    const asHit = withTake(withTake(track, PLAIN, take("Low"), { as: "hit", role: "tom" }), PLAIN, take("Low"), {
      as: "hit",
      role: "tom",
    });
    expect(othersOf(asHit).map((one) => [one.id, one.name])).toEqual([
      ["tom", "Low"],
      ["tom-2", "Low 2"],
      ["tom-3", "Low 3"],
    ]);
    const asLayer = withTake(track, PLAIN, take("Body"), { as: "layer", hitId: "tom" });
    expect(othersOf(asLayer)[0]?.hit.layers.map((one) => one.name)).toEqual(["Body", "Body 2"]);
    expect(new Set(othersOf(asLayer)[0]?.hit.layers.map((one) => one.id)).size).toBe(2);
    const asBass = withTake(track, PLAIN, take("Long"), { as: "bass" });
    expect([instrumentOf(asBass).source, instrumentOf(asBass).root_hz]).toEqual(["recorded note", 52.1]);
    expect(instrumentOf(withTake(track, PLAIN, take("Long", null), { as: "bass" })).root_hz).toBe(55);
    // A sound begins at its onset; a stem's own bar 1 is where its file begins.
    const late = { ...take("Late"), onset_ms: 300 };
    const begins = (made: Track) => made.parts.at(-1)?.hit.layers.at(-1)?.source as { begin_ms?: number };
    expect(begins(withTake(track, PLAIN, late, { as: "hit", role: "clap" })).begin_ms).toBe(300);
    expect(begins(withTake(track, PLAIN, late, { as: "layer", hitId: "tom" })).begin_ms).toBe(300);
    const kick = kickOf(withTake(track, PLAIN, late, { as: "kick" })).hit.layers[0]?.source;
    expect(kick).toMatchObject({ begin_ms: 300 });
    expect(instrumentOf(withTake(track, PLAIN, late, { as: "bass" })).note_begin_ms).toBe(300);
    const stem = withTake({ ...track, sheet: { bpm: 120, bars: 1 } } as Track, PLAIN, late, { as: "context" });
    expect(begins(stem).begin_ms ?? 0).toBe(0);
    expect(usesOf(track, "tom").map((one) => one.key)).toContain("layer tom");
    expect(usesOf(track, "tom").map((one) => one.key)).not.toContain("layer kick");
    // The bass has layers only where they are what plays it.
    const ownLayers = withPart(track, "bass", (one) => ({ ...one, hit: { ...hitOfLayers(), layers: [] } }));
    const layered = withInstrument(ownLayers, { source: "own layers" });
    expect(usesOf(track, null).map((one) => one.key)).not.toContain("layer bass");
    expect(usesOf(layered, null).map((one) => one.key)).toContain("layer bass");
    const found = withTake(layered, PLAIN, take("Low one"), { as: "layer", hitId: "bass" });
    expect(bassOf(found).hit.layers.map((one) => one.name)).toEqual(["Low one"]);
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

describe("what a use replaces", () => {
  const layers = [
    { id: "a", name: "Beater" },
    { id: "b", name: "Body" },
  ];
  const rest = {
    bass: { source: "sub" as const, take: null, root_hz: 55 },
    others: [{ id: "clap", name: "Clap", role: "clap", hit: { layers: [] }, strokes: [] }],
    sheet: { bpm: 120, bars: 4 },
  };
  const track = madeTrack({
    ...rest,
    kick: { layers, locked: [], front: [] } as unknown as Hit,
    strokes: [0, 1, 2, 3].map((at) => strokeAt(at)),
    notes: [{ at_beats: 0 }, { at_beats: 1 }],
  });
  const bare = madeTrack(rest);

  it.each<[Use, string | null, string | null]>([
    [{ as: "kick" }, "replaces the kick's layers: Beater, Body", null],
    [{ as: "kick loop" }, "replaces the kick's layers (Beater, Body) and its 4 strokes", null],
    [{ as: "bass" }, "replaces the source of the bass: sub", "replaces the source of the bass: sub"],
    [
      { as: "line" },
      "replaces the source of the bass: sub, and its 2 notes with those that are read",
      "replaces the source of the bass: sub",
    ],
    [{ as: "context" }, null, null],
    [{ as: "hit", role: "clap" }, null, null],
    [{ as: "layer", hitId: "kick" }, null, null],
  ])("is said for %o", (use, full, empty) => {
    expect(replacedBy(track, use)).toBe(full);
    expect(replacedBy(bare, use)).toBe(empty);
  });

  it.each<[Use[], string[]]>([
    [[], []],
    [[{ as: "kick" }, { as: "bass" }], []],
    [[{ as: "kick" }, { as: "kick loop" }], ["kick"]],
    [[{ as: "line" }, { as: "bass" }, { as: "kick" }], ["bass"]],
    [
      [{ as: "kick" }, { as: "kick" }, { as: "bass" }, { as: "bass" }, { as: "bass" }],
      ["kick", "bass"],
    ],
    [[{ as: "hit", role: "hat" }, { as: "hit", role: "hat" }, { as: "context" }, { as: "context" }], []],
  ])("two answers for one place are found in %o", (uses, twice) => {
    expect(claimedTwice(uses)).toEqual(twice);
  });

  it.each<Use>([
    { as: "kick" },
    { as: "bass" },
    { as: "line" },
    { as: "context" },
    { as: "hit", role: "tom" },
    { as: "layer", hitId: "clap" },
  ])("until it is stored every step can show what %o makes", (use) => {
    const take = { id: "0".repeat(24), name: "Found", duration_ms: 400, landing_hz: 60 } as LoadedTake;
    const made = withTake(track, PLAIN, take, use);
    for (const one of hitsOf(made)) {
      expect(one.notes).toBeInstanceOf(Array);
      expect(one.strokes).toBeInstanceOf(Array);
      for (const layer of one.hit.layers) if (layer.id.startsWith("take")) expect(layer.chain).toEqual([]);
    }
    // What is not replaced stays as it is.
    if (use.as !== "kick") expect(kickOf(made)).toBe(kickOf(track));
    if (use.as !== "bass" && use.as !== "line") expect(bassOf(made)).toBe(bassOf(track));
    expect(othersOf(made).slice(0, 1)).toEqual(use.as === "layer" ? [expect.anything()] : othersOf(track));
  });
});
