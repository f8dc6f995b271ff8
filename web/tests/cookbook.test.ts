import { describe, expect, it } from "vitest";
import type { Move } from "../src/api/types";
import { moveDb } from "../src/plots/cookbook";

const AT_HZ = [30, 60, 110, 500];

describe("the response of a move in the hand", () => {
  // The cookbook's sections through scipy.signal.sosfreqz at 48 kHz.
  it.each([
    ["bell", 60, -6, 1.2, [-1.4593, -6, -1.8099, -0.0659]],
    ["low shelf", 110, -8.4, 0.79, [-8.477, -8.0517, -4.2, 0.0622]],
    ["high shelf", 110, 2.3, 4, [-0.1782, -0.9027, 1.15, 2.4131]],
    ["high-pass", 30, 0, 0.71, [-2.9748, -0.2466, -0.0187, 0.0002]],
  ] as const)("%s", (shape, frequency_hz, gain_db, q, wanted) => {
    const move: Move = { shape, frequency_hz, gain_db, q, slope_db: 12 };
    moveDb(move, AT_HZ, 48_000).forEach((db, i) => {
      expect(db).toBeCloseTo(wanted[i] ?? Number.NaN, 3);
    });
  });

  // scipy.signal.butter of order 4 and 8 at 48 kHz; Q is no matter to them.
  it.each([
    [24, [-34.0795, -10.4096, -0.3272, 0]],
    [48, [-68.1555, -20.0338, -0.0265, 0]],
  ] as const)("a high-pass of %d dB an octave", (slope_db, wanted) => {
    moveDb({ shape: "high-pass", frequency_hz: 80, gain_db: 0, q: 3, slope_db }, AT_HZ, 48_000).forEach((db, i) => {
      expect(db).toBeCloseTo(wanted[i] ?? Number.NaN, 2);
    });
  });

  it("is flat without gain", () => {
    const flat = moveDb({ shape: "bell", frequency_hz: 80, gain_db: 0, q: 2, slope_db: 12 }, AT_HZ, 44_100);
    for (const db of flat) expect(Math.abs(db)).toBeLessThan(1e-9);
  });
});
