import { describe, expect, it } from "vitest";
import { chirp, foundAt, HELD_S, Holding, loopStart } from "../src/audio/holding";
import { floatWav, wavOf } from "../src/audio/wav";

const RATE = 8000;
const BLOCK = 1000;

/** So many seconds of a ramp, so that every sample tells where it was. */
function filled(seconds: number, holding = new Holding(RATE), from = 0): Holding {
  for (let at = from; at < from + seconds * RATE; at += BLOCK)
    holding.add(
      Float32Array.from({ length: BLOCK }, (_, n) => (at + n) / 1e7),
      at,
    );
  return holding;
}

describe("what a recorder holds", () => {
  it("is the last half minute, however long it is armed", () => {
    const holding = filled(95);
    expect(holding.heldS).toBeLessThanOrEqual(HELD_S + BLOCK / RATE);
    expect(holding.heldS).toBeGreaterThanOrEqual(HELD_S);
    const { samples, begins } = holding.take();
    expect(begins).toBe(95 * RATE - samples.length);
    expect(samples[0]).toBeCloseTo(begins / 1e7, 6);
    expect(samples.at(-1)).toBeCloseTo((95 * RATE - 1) / 1e7, 6);
  });

  it("with a recording, is what was before it and all that came after", () => {
    const holding = filled(12);
    holding.begin();
    filled(40, holding, 12 * RATE);
    expect(holding.beforeS).toBe(12);
    expect(holding.take().samples).toHaveLength(52 * RATE);
    expect(holding.heldS).toBe(0);
    expect(holding.recording).toBe(false);
  });

  it.each([
    ["cut off", () => 1, { tooLoud: true, tooQuiet: false }],
    ["far away", () => 0.002, { tooLoud: false, tooQuiet: true }],
    ["right", (n: number) => 0.3 * Math.sin(n), { tooLoud: false, tooQuiet: false }],
    [
      "cut off in one sample, which may be chance",
      (n: number) => (n === 10 ? 1 : 0.1),
      { tooLoud: false, tooQuiet: false },
    ],
  ])("is judged: %s", (_, wave, want) => {
    const holding = new Holding(RATE);
    for (let block = 0; block < 40; block++)
      holding.add(
        Float32Array.from({ length: BLOCK }, (_, n) => (block === 39 || n !== 10 ? wave(n) : 0)),
        block * BLOCK,
      );
    expect(holding.level()).toMatchObject(want);
  });
});

describe("latency", () => {
  it.each([0, 1, 184, 1104, 9000])("of %i frames is found to the frame under hiss and a hum", (late) => {
    const sound = chirp(48000);
    const heard = Float32Array.from({ length: 28800 }, (_, n) => {
      const own = n >= late && n < late + sound.length ? 0.05 * (sound[n - late] as number) : 0;
      return own + 0.004 * Math.sin(n / 150) + 0.002 * Math.sin(n * n * 1.7);
    });
    expect(foundAt(heard, sound)).toBe(late);
  });

  it("is not made up where nothing was heard", () => {
    const sound = chirp(48000);
    expect(foundAt(new Float32Array(28800), sound)).toBeNull();
    expect(foundAt(new Float32Array(100), sound)).toBeNull();
  });

  it("is taken out: what was played on the first beat lies at the first frame", () => {
    const [beats, bpm, latencyS] = [4, 120, 0.023];
    const turn = 2;
    // Heard at 10.5 s: beat 1. So the loop begins at 10 s, and every 2 s.
    const loop = { atS: 10.5, beat: 1, beats, bpm };
    const first = loopStart(5 * 48000, 8 * 48000, 48000, loop, latencyS);
    expect(first).toBe(Math.round((6 + latencyS - 5) * 48000));
    expect(loopStart(5 * 48000, 0.5 * 48000, 48000, loop, latencyS)).toBeNull();
    expect(first).toBeLessThan(turn * 48000);
  });
});

it("a recording's file says what was recorded, sample for sample", async () => {
  const samples = Float32Array.from([0, 0.5, -0.25, 1, -1]);
  const read = floatWav(await wavOf(samples, 44100).arrayBuffer());
  expect(read.sampleRate).toBe(44100);
  expect([...(read.channels[0] ?? [])]).toEqual([...samples]);
});
