import { type Band, LOW_END_HZ } from "./band";
import type { LeftOut } from "./comparison";
import type { Side } from "./stems";

/** Previews start quiet (dB). */
const START_LEVEL_DB = -12;

/** What is heard alone: a part by its id. */
export type Solo = string | null;

export interface PlayerView {
  playing: boolean;
  loading: boolean;
  side: Side;
  solo: Solo;
  /** The part that is heard without its duck. */
  free: Solo;
  /** What is compared with the track without it, both equally loud. */
  leftOut: LeftOut | null;
  /** Whether the side without it is heard. */
  without: boolean;
  band: Band;
  /** Where the low end that is heard alone stops. */
  lowHz: number;
  levelDb: number;
  /** Where the loop begins to play. */
  markBeats: number;
  error: string | null;
}

/** What is heard before anything was touched. */
export const FIRST_VIEW: PlayerView = {
  playing: false,
  loading: false,
  side: "before",
  solo: null,
  free: null,
  leftOut: null,
  without: false,
  band: "all",
  lowHz: LOW_END_HZ,
  levelDb: START_LEVEL_DB,
  markBeats: 0,
  error: null,
};
