import type { TrackState } from "../api/types";

export type Side = "before" | "after";

/** Stems of the kit begin so. */
export const KIT = "kit-";
const BEFORE = "-before";
const UNDUCKED = "-unducked";

/** On which side a stem is heard. */
export const sideOf = (stem: string): Side => (stem.endsWith(BEFORE) ? "before" : "after");

/** The part a stem belongs to. */
export const partOf = (stem: string) => stem.replace(BEFORE, "").replace(UNDUCKED, "");

/** Stems of a track that are played, each part once on either side; `free` is heard without its duck. */
export const playedStems = (state: TrackState, free: string | null = null) =>
  Object.keys(state.stems).filter((name) => {
    const isFree = name === free + UNDUCKED;
    if (free !== null && name === free && free + UNDUCKED in state.stems) return false;
    return isFree || !name.endsWith(UNDUCKED);
  });

/** One stem that plays, and the gain its swap fades by. */
export interface Voice {
  source: AudioBufferSourceNode;
  fade: GainNode;
}

/** What plays together until it is swapped for the next. */
export interface Generation {
  voices: Voice[];
  key: string;
}
