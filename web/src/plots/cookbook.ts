import type { Move } from "../api/types";

/**
 * Gain in dB of one EQ move at each frequency, while it is dragged: what is measured follows at once and takes its place.
 * Formulas: R. Bristow-Johnson, Audio EQ Cookbook.
 */
export function moveDb(move: Move, frequencies: number[], rate: number): number[] {
  const a = 10 ** (move.gain_db / 40);
  const w0 = (2 * Math.PI * Math.min(move.frequency_hz, 0.49 * rate)) / rate;
  const cos = Math.cos(w0);
  const each = qualities(move).map((q) => sections(move.shape, a, cos, Math.sin(w0) / (2 * q)));
  return frequencies.map((hz) => {
    const w = (2 * Math.PI * hz) / rate;
    return each.reduce((db, [b, d]) => db + 10 * Math.log10(size(b, w) / size(d, w)), 0);
  });
}

/** The Q of each section: a steep high-pass is a Butterworth, whose poles are spread evenly on a circle. */
function qualities(move: Move): number[] {
  if (move.shape !== "high-pass" || move.slope_db <= 12) return [move.q];
  const order = move.slope_db / 6;
  return Array.from({ length: order / 2 }, (_, k) => 1 / (2 * Math.cos(((2 * k + 1) * Math.PI) / (2 * order))));
}

type Three = [number, number, number];

function sections(shape: Move["shape"], a: number, cos: number, alpha: number): [Three, Three] {
  if (shape === "bell") {
    return [
      [1 + alpha * a, -2 * cos, 1 - alpha * a],
      [1 + alpha / a, -2 * cos, 1 - alpha / a],
    ];
  }
  if (shape === "high-pass") {
    return [
      [(1 + cos) / 2, -(1 + cos), (1 + cos) / 2],
      [1 + alpha, -2 * cos, 1 - alpha],
    ];
  }
  // A high shelf is a low shelf with the cosine turned over, and the odd coefficients with it.
  const turn = shape === "low shelf" ? 1 : -1;
  const c = turn * cos;
  const root = 2 * Math.sqrt(a) * alpha;
  return [
    [a * (a + 1 - (a - 1) * c + root), turn * 2 * a * (a - 1 - (a + 1) * c), a * (a + 1 - (a - 1) * c - root)],
    [a + 1 + (a - 1) * c + root, turn * -2 * (a - 1 + (a + 1) * c), a + 1 + (a - 1) * c - root],
  ];
}

/** Squared size of a polynomial on the unit circle. */
function size([c0, c1, c2]: Three, w: number): number {
  const real = c0 + c1 * Math.cos(w) + c2 * Math.cos(2 * w);
  const imaginary = c1 * Math.sin(w) + c2 * Math.sin(2 * w);
  return Math.max(real * real + imaginary * imaginary, 1e-20);
}
