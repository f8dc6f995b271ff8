import type { Bypass } from "../api/bypass";
import { BASS, partOf } from "../api/parts";
import type { Stem, Track, TrackState } from "../api/types";
import { factor } from "./desk";
import { playedStems } from "./stems";

/** What is left out, and what it is called. */
export interface LeftOut extends Bypass {
  name: string;
}

/** A revision without something: by how much either side is turned down, and what plays without it. */
export interface Comparison {
  of: LeftOut;
  revision: number;
  with_db: number;
  without_db: number;
  matched: boolean;
  idle: boolean;
  /** Whether all of it is turned down, and not its part alone. */
  of_loop: boolean;
  stems: Stem[];
}

/** A stem that plays, how loud, and of what without it is one. */
export interface Played {
  stem: Stem;
  gain: number;
  without: LeftOut | null;
}

export const sameLeftOut = (one: LeftOut | null, other: LeftOut | null) =>
  one?.part === other?.part && one?.layer === other?.layer && one?.stage === other?.stage;

/** Everything that plays: the track, or while something is compared either side of it, the louder turned down. */
export function played(state: TrackState, compared: Comparison | null, out: boolean, free: string | null): Played[] {
  if (compared === null || compared.revision !== state.revision)
    return playedStems(state, free).map((stem) => ({ stem, gain: 1, without: null }));
  const { of } = compared;
  const gain = factor(out ? compared.without_db : compared.with_db);
  const stems = playedStems(out ? { ...state, stems: compared.stems } : state, free);
  return stems.map((stem) => ({
    stem,
    gain: compared.of_loop || stem.part === of.part ? gain : 1,
    without: out ? of : null,
  }));
}

/** Where a stage stands: its number means the same only while this does. */
export function placeOf(track: Track, of: LeftOut): string {
  if (of.stage === null) return "";
  const part = partOf(track, of.part);
  // Behind the layers of the bass is the chain of its line; behind those of a hit is its bus.
  const whole = of.part === BASS ? part?.chain : part?.hit.bus;
  const chain = of.layer === null ? whole : part?.hit.layers.find((one) => one.id === of.layer)?.chain;
  return (chain ?? []).map((one) => one.kind).join();
}
