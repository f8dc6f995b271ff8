import { describe, expect, it } from "vitest";
import { beatAt, type LoopTime, loopSeconds, nextBeat, originFor, swapAt } from "../src/audio/timing";
import { floatWav } from "../src/audio/wav";

const LOOP: LoopTime = { origin: 10, bpm: 120, beats: 16 };

describe("the next voices", () => {
  const goes = { atOnce: false, jump: null, countedS: 0 };
  it.each([
    ["begin at the first beat", null, goes, 11.03, 0],
    ["begin after the count-in", null, { ...goes, countedS: 2 }, 13.03, 0],
    ["begin at the mark", null, { ...goes, jump: 5 }, 11.03, 5],
    ["go on from the next beat", LOOP, goes, 11.5, 3],
    ["go on at once where they are", LOOP, { ...goes, atOnce: true }, 11.03, 2.06],
    ["jump at once to where it was pressed", LOOP, { ...goes, jump: 9.5 }, 11.03, 9.5],
  ] as const)("%s", (_, loop, how, time, beat) => {
    const at = swapAt(loop, 11, 0.03, how);
    expect(at.time).toBeCloseTo(time, 9);
    expect(at.beat).toBeCloseTo(beat, 9);
  });
});

describe("the loop's clock", () => {
  it.each([
    [10, 0],
    [10.25, 0.5],
    [17.9, 15.8],
    [18, 0],
    [10 + 3 * 8 + 1, 2],
    // Before the origin it counts back from the end.
    [9.75, 15.5],
  ])("at %f s it is at beat %f", (now, beat) => {
    expect(beatAt(LOOP, now)).toBeCloseTo(beat, 9);
  });

  it.each([
    [126, 16, 7.619048],
    [60, 4, 4],
  ])("at %i BPM %i beats last %f s", (bpm, beats, seconds) => {
    expect(loopSeconds({ origin: 0, bpm, beats })).toBeCloseTo(seconds, 5);
  });

  it.each([
    // now, time of the next beat, its place in the loop
    [10.1, 10.5, 1],
    [10.5 - 0.03, 10.5, 1],
    [10.48, 11, 2],
    [17.6, 18, 0],
  ])("from %f s the next beat that can still be met is at %f s", (now, time, beat) => {
    const next = nextBeat(LOOP, now, 0.03);
    expect(next.time).toBeCloseTo(time, 9);
    expect(next.beat).toBe(beat);
    expect(next.time).toBeGreaterThanOrEqual(now + 0.03 - 1e-9);
  });

  it.each([
    [126, 16],
    [90, 8],
    [240, 32],
  ])("a new tempo of %f BPM or length of %i beats goes on from the same beat", (bpm, beats) => {
    const at = nextBeat(LOOP, 15.2, 0.03);
    const loop = { origin: originFor(at.time, at.beat, bpm, beats), bpm, beats };
    expect(beatAt(loop, at.time)).toBeCloseTo(at.beat % beats, 9);
    expect(beatAt(loop, at.time + 60 / bpm)).toBeCloseTo((at.beat + 1) % beats, 9);
  });
});

/** A WAV of 32-bit floats with whatever chunks stand before the samples. */
function wav(samples: number[], rate: number, before: [string, number][] = []): ArrayBuffer {
  const chunks: [string, Uint8Array][] = [
    ["fmt ", new Uint8Array(16)],
    ...before.map(([t, n]) => [t, new Uint8Array(n)] as [string, Uint8Array]),
  ];
  new DataView(chunks[0]?.[1].buffer as ArrayBuffer).setUint32(4, rate, true);
  chunks.push(["data", new Uint8Array(new Float32Array(samples).buffer)]);
  const size = 12 + chunks.reduce((sum, [, body]) => sum + 8 + body.length + (body.length % 2), 0);
  const out = new Uint8Array(size);
  const view = new DataView(out.buffer);
  const text = (at: number, tag: string) =>
    out.set(
      [...tag].map((c) => c.charCodeAt(0)),
      at,
    );
  text(0, "RIFF");
  text(8, "WAVE");
  let at = 12;
  for (const [tag, body] of chunks) {
    text(at, tag);
    view.setUint32(at + 4, body.length, true);
    out.set(body, at + 8);
    at += 8 + body.length + (body.length % 2);
  }
  return out.buffer;
}

describe("a stem's samples", () => {
  it.each([
    [[]],
    [[["LIST", 26]]],
    [
      [
        ["fact", 4],
        ["junk", 7],
      ],
    ],
  ] as [[string, number][]][])("are found after other chunks: %j", (before) => {
    const read = floatWav(wav([0, 0.5, -1, 0.25], 44100, before));
    expect([...(read.channels[0] ?? [])]).toEqual([0, 0.5, -1, 0.25]);
    expect(read.sampleRate).toBe(44100);
  });

  it("are missed where there are none", () => {
    expect(() => floatWav(wav([], 48000).slice(0, 36))).toThrow("no samples");
  });
});
