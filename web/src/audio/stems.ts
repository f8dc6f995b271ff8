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
