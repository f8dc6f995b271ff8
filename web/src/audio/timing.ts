/** Loop arithmetic without a clock, in seconds and beats. */
export interface LoopTime {
  /** Context time at which the loop's beat 0 sounded. */
  origin: number;
  bpm: number;
  beats: number;
}

const modulo = (value: number, by: number) => ((value % by) + by) % by;

export const loopSeconds = (loop: LoopTime) => (loop.beats * 60) / loop.bpm;

/** Beat position in the loop at a context time. */
export function beatAt(loop: LoopTime, now: number): number {
  return modulo(((now - loop.origin) * loop.bpm) / 60, loop.beats);
}

/** The next whole beat at least `ahead` seconds away: its context time and its place in the loop. */
export function nextBeat(loop: LoopTime, now: number, ahead: number): { time: number; beat: number } {
  const passed = ((now + ahead - loop.origin) * loop.bpm) / 60;
  const whole = Math.ceil(passed - 1e-9);
  return { time: loop.origin + (whole * 60) / loop.bpm, beat: modulo(whole, loop.beats) };
}

/** The origin of a new loop that is at `beat` (taken into its own length) at a context time. */
export function originFor(time: number, beat: number, bpm: number, beats: number): number {
  return time - (modulo(beat, beats) * 60) / bpm;
}

interface Swap {
  /** Not from the next beat on, but at once. */
  atOnce: boolean;
  /** The beat where it goes on; null: where it is. */
  jump: number | null;
  /** How long is counted in before a loop begins. */
  countedS: number;
}

/** When the next voices sound, and which beat that is: of a loop that begins, jumps, or goes on. */
export function swapAt(
  loop: LoopTime | null,
  now: number,
  ahead: number,
  { atOnce, jump, countedS }: Swap,
): { time: number; beat: number } {
  const soon = now + ahead;
  if (!loop) return { time: soon + countedS, beat: jump ?? 0 };
  if (jump !== null) return { time: soon, beat: jump };
  return atOnce ? { time: soon, beat: beatAt(loop, soon) } : nextBeat(loop, now, ahead);
}
