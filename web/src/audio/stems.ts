import type { Stem, TrackState } from "../api/types";

export type Side = "before" | "after";

/** On which side a stem is heard. */
export const sideOf = (stem: Stem): Side => (stem.state === "before" ? "before" : "after");

/** Stems of a track that are played, each part once on either side; `free` is heard without its duck. */
export function playedStems(state: TrackState, free: string | null = null): Stem[] {
  const isFree = (stem: Stem) => stem.part === free && stem.state === "unducked";
  const freed = state.stems.some(isFree);
  return state.stems.filter((stem) =>
    stem.state === "unducked" ? isFree(stem) : !(freed && stem.part === free && stem.state === "heard"),
  );
}

/** One stem that plays, the gain its swap fades by, and how loud it is in between. */
export interface Voice {
  source: AudioBufferSourceNode;
  fade: GainNode;
  gain: number;
}

/** What plays together until it is swapped for the next. */
export interface Generation {
  voices: Voice[];
  key: string;
}

export const SWAP_FADE_S = 0.005;

interface Begin {
  gain: number;
  /** The first of its loop, which fades in as a whole. */
  first: boolean;
  /** When it sounds, and where in its sound it begins. */
  time: number;
  offsetS: number;
}

/** One stem that plays on. */
export function voiceOf(
  context: AudioContext,
  buffer: AudioBuffer,
  into: AudioNode,
  { gain, first, time, offsetS }: Begin,
): Voice {
  const source = new AudioBufferSourceNode(context, { buffer, loop: true });
  // One gain a stem: the swap fades, the parts stay where they are.
  const fade = new GainNode(context, { gain: 0 });
  fade.gain.setValueAtTime(first ? gain : 0, time);
  fade.gain.linearRampToValueAtTime(gain, time + SWAP_FADE_S);
  source.connect(fade).connect(into);
  source.start(time, offsetS);
  source.onended = () => fade.disconnect();
  return { source, fade, gain };
}

/** Fade out what plays, from a moment on. */
export function retire(old: Generation, at: number, fadeS: number) {
  for (const { source, fade, gain } of old.voices) {
    fade.gain.cancelScheduledValues(at);
    fade.gain.setValueAtTime(gain, at);
    fade.gain.linearRampToValueAtTime(0, at + fadeS);
    source.stop(at + fadeS + 0.01);
  }
}
