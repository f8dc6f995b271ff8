import type { Sheet } from "../../api/types";

/** Pitch classes from C, as most sheets spell them. */
export const NAMES = ["C", "Db", "D", "Eb", "E", "F", "F#", "G", "Ab", "A", "Bb", "B"];

/** The root said for each bar of the loop, null where none is. */
export const barRoots = (sheet: Sheet): (number | null)[] =>
  Array.from({ length: sheet.bars }, (_, bar) => sheet.roots[bar] ?? null);

/** The roots with another for one bar; what is behind the last said is left out. */
export function withRoot(roots: (number | null)[], bar: number, root: number | null): (number | null)[] {
  const next = roots.map((one, at) => (at === bar ? root : one));
  while (next.length && next[next.length - 1] === null) next.pop();
  return next;
}

/** The likeliest root of each bar, null where nothing sounds. */
export const proposed = (bars: { guesses: { root: number }[] }[]): (number | null)[] =>
  bars.map((bar) => bar.guesses[0]?.root ?? null);
