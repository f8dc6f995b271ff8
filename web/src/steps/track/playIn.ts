/** What somebody has played: a note, how hard, where it began and how long it was held, in beats of the loop. */
export interface Struck {
  note: number;
  velocity: number;
  at: number;
  length: number;
}

const GRID = 0.25;
/** Written down no finer than a sequencer's tick. */
const TICK = 1 / 960;
const SHORTEST = 1 / 16;

const ticked = (beats: number) => Math.round(beats / TICK) * TICK;
const towards = (value: number, goal: number, share: number) => value + (goal - value) * share;

/**
 * Played notes as they are written: their starts and ends a share of the way to the grid, 0 as they were played, each ended
 * where the next begins, in order; of two at one place the later counts.
 */
export function written(played: Struck[], beats: number, quantisePct: number): Struck[] {
  const share = quantisePct / 100;
  const placed = new Map<number, Struck>();
  for (const one of played) {
    const grid = Math.round(one.at / GRID) * GRID;
    // What is nearest to the end of the loop begins its next turn.
    const at = ticked(towards(one.at, grid, share)) % beats;
    const held = Math.max(GRID, Math.round(one.length / GRID) * GRID);
    placed.set(at, { ...one, at, length: Math.max(SHORTEST, ticked(towards(one.length, held, share))) });
  }
  const inOrder = [...placed.values()].sort((one, other) => one.at - other.at);
  return inOrder.map((one, index) => {
    const end = inOrder[index + 1]?.at ?? beats;
    return { ...one, length: Math.max(TICK, Math.min(one.length, end - one.at)) };
  });
}

/** Keys of the computer by place, not letter, as a keyboard of the piano's arrangement, from the first C. */
export const KEY_CODES = [
  ...["KeyA", "KeyW", "KeyS", "KeyE", "KeyD", "KeyF", "KeyT", "KeyG", "KeyY", "KeyH", "KeyU", "KeyJ"],
  ...["KeyK", "KeyO", "KeyL", "KeyP"],
];

export const keyLabel = (code: string) => code.replace("Key", "");

const NOTE_ON = 0x90;
const NOTE_OFF = 0x80;

/** A note that begins or ends, as a MIDI device says it; null for anything else. */
export function noteOf(message: ArrayLike<number>): { on: boolean; note: number; velocity: number } | null {
  const [status = 0, note = 0, velocity = 0] = Array.from(message);
  const kind = status & 0xf0;
  if (kind !== NOTE_ON && kind !== NOTE_OFF) return null;
  // Strength 0 is how many devices let go.
  return { on: kind === NOTE_ON && velocity > 0, note, velocity };
}

/** A bass has levels and no strengths: the softest is 24 dB down, as a hit's is by default. */
const SOFTEST_DB = -24;
export const gainOfStrength = (velocity: number) => Math.round(((127 - velocity) / 126) * SOFTEST_DB * 2) / 2;

/** A note moved by octaves into a range. */
export function within(note: number, low: number, high: number): number {
  let moved = note;
  while (moved < low) moved += 12;
  while (moved > high) moved -= 12;
  return moved;
}

/** How a player's hands miss the grid, in beats, one after the other. */
const OFF_BEATS = [0.021, -0.016, 0.03, -0.008];
const STRENGTHS = [112, 84, 97, 70];

/** What the simulated keyboard plays over a loop: root, root, fifth and octave in each bar, as hands would. */
export function phrase(bars: number, root: number): Struck[] {
  const bar = [
    [0, root, 1],
    [1.5, root, 0.5],
    [2, root + 7, 0.75],
    [3, root + 12, 0.5],
  ] as const;
  return Array.from({ length: bars }, (_, turn) =>
    bar.map(([at, note, length], index) => ({
      note,
      velocity: STRENGTHS[index] ?? 100,
      at: Math.max(0, 4 * turn + at + (OFF_BEATS[(turn + index) % OFF_BEATS.length] ?? 0)),
      length,
    })),
  ).flat();
}

const CLASSES: Record<string, number> = { C: 0, D: 2, E: 4, F: 5, G: 7, A: 9, B: 11 };
/** The lowest octave that a small club's system plays begins here. */
const LOWEST_ROOT = 29;

/** The tonic as a low note. */
export function rootOf(tonic: string): number {
  const accidental = tonic.slice(1) === "b" ? -1 : tonic.slice(1) === "#" ? 1 : 0;
  const pitch = ((CLASSES[tonic[0] ?? "C"] ?? 0) + accidental + 12) % 12;
  return LOWEST_ROOT + ((pitch - LOWEST_ROOT + 120) % 12);
}
