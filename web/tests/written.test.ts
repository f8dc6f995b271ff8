import { describe, expect, it } from "vitest";
import type { Hit, ReadHit } from "../src/api/types";
import { hitsOf, strokeAt } from "../src/steps/hits/pads";
import { corrected, pressed, strokesOf, turned, withPattern } from "../src/steps/takes/written";
import { madeTrack } from "./madeTrack";

const hit = (row: ReadHit["row"], at_beats: number, off_ms = 0): ReadHit => ({
  row,
  at_beats,
  off_ms,
  strength: 90,
  sure: 0.8,
});
const read = [hit("kick", 0), hit("kick", 4.5, 12), hit("snare", 1, -80)];

describe("a pattern that was read", () => {
  it("is corrected: what is pressed is put in or taken out, twice is as it was", () => {
    const [kick, hat] = [
      { row: "kick", at_beats: 0 },
      { row: "hat", at_beats: 2.25 },
    ] as const;
    const out = corrected(read, [kick, hat]);
    expect(out.map((one) => `${one.row} ${one.at_beats}`).sort()).toEqual(["hat 2.25", "kick 4.5", "snare 1"]);
    expect(out.find((one) => one.row === "hat")?.off_ms).toBe(0);
    expect(corrected(read, pressed(pressed([], kick), kick))).toEqual(read);
  });

  it.each([
    [1, [0, 4, 8, 12]],
    [2, [0, 4.5, 8, 12.5]],
  ])("of %i bars fills four bars", (bars, places) => {
    const hits = bars === 1 ? [hit("kick", 0)] : read;
    const strokes = strokesOf(hits, "kick", bars, 4, false);
    expect(strokes.map((one) => one.at_beats)).toEqual(places);
    expect(strokes.every((one) => one.velocity === 90 && one.shift_ms === 0)).toBe(true);
  });

  it("keeps how late it is played where that was asked for, and nothing that is further off than a stroke may be", () => {
    expect(strokesOf(read, "kick", 2, 2, true).map((one) => one.shift_ms)).toEqual([0, 12]);
    expect(strokesOf(read, "snare", 2, 2, true).map((one) => one.shift_ms)).toEqual([0]);
  });

  it("with its bar 1 a beat later goes around", () => {
    const out = turned([hit("kick", 0), hit("snare", 1)], 1, 2);
    expect(out.map((one) => one.at_beats)).toEqual([7, 0]);
  });

  it("is written to the rows that are named, and to no others", () => {
    const track = madeTrack({
      kick: { layers: [] } as unknown as Hit,
      strokes: [strokeAt(0), strokeAt(2)],
      others: [
        { id: "clap", name: "Clap", role: "clap", hit: { layers: [] }, strokes: [strokeAt(3)] },
        { id: "hat", name: "Hat", role: "hat", hit: { layers: [] }, strokes: [strokeAt(0.5)] },
      ],
    } as unknown as Parameters<typeof madeTrack>[0]);
    const made = withPattern(
      { ...track, sheet: { ...track.sheet, bars: 2 } },
      read,
      2,
      { kick: "kick", snare: "clap", hat: null },
      true,
    );
    const places = Object.fromEntries(
      hitsOf(made).map((one) => [one.id, one.strokes.map((stroke) => stroke.at_beats)]),
    );
    expect(places).toMatchObject({ kick: [0, 4.5], clap: [1], hat: [0.5] });
  });
});
