import type { TrackState } from "../api/types";

const LOW_STEMS = ["kick", "bass", "kick-before", "bass-before"];
/** Stems of the kit sound alike before and after. */
export const KIT = "kit-";

/** Stems of a track that are played. */
export const playedStems = (state: TrackState) =>
  Object.keys(state.stems).filter((name) => LOW_STEMS.includes(name) || name.startsWith(KIT));

/** The part a stem belongs to. */
export const partOf = (stem: string) => stem.replace("-before", "");

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
