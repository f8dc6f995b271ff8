import type { Bass, Part, Track } from "./types";

/** The part that is the kick, and the one that is the bass: a track has one of each. */
export const KICK = "kick";
export const BASS = "bass";

export const partOf = (track: Track, id: string): Part | undefined => track.parts.find((one) => one.id === id);

const known = (track: Track, id: string): Part => {
  const found = partOf(track, id);
  if (!found) throw new Error(`this track has no ${id}`);
  return found;
};

export const kickOf = (track: Track): Part => known(track, KICK);
export const bassOf = (track: Track): Part => known(track, BASS);

/** The source of a bass that plays the part's own layers. */
export const LAYERS: Bass["source"] = "own layers";

/** Whether the bass is layers of its own, which a hit's bench shows. */
export const bassIsLayers = (track: Track): boolean => instrumentOf(track).source === LAYERS;

/** What plays the notes of the bass. */
export const instrumentOf = (track: Track): Bass => bassOf(track).instrument as Bass;

/** Every part beside kick and bass, in order. */
export const othersOf = (track: Track): Part[] => track.parts.filter((one) => one.id !== KICK && one.id !== BASS);

/** The track with one of its parts changed; itself where it is not there. */
export const withPart = (track: Track, id: string, change: (part: Part) => Part): Track => ({
  ...track,
  parts: track.parts.map((one) => (one.id === id ? change(one) : one)),
});

/** The track with another instrument of the bass. */
export const withInstrument = (track: Track, change: Partial<Bass>): Track =>
  withPart(track, BASS, (one) => ({ ...one, instrument: { ...(one.instrument as Bass), ...change } }));

/** What is said of a new part; the rest is as the model has it. */
export type NewPart = Pick<Part, "id" | "name" | "role"> &
  Partial<Omit<Part, "hit" | "ducked">> & { hit?: Partial<Part["hit"]>; ducked?: Partial<Part["ducked"]> };

/** A new part, whole: every step shows it before the server has answered. */
export const wholePart = (plain: Partial<Part>, { hit, ducked, ...part }: NewPart): Part =>
  ({ ...plain, ...part, hit: { ...plain.hit, ...hit }, ducked: { ...plain.ducked, ...ducked } }) as Part;

/** The track with a part after all it has. */
export const withMore = (track: Track, part: Part): Track => ({ ...track, parts: [...track.parts, part] });

/** The track with a part one place earlier or later, wherever parts are listed. */
export function moved(track: Track, id: string, by: -1 | 1): Track {
  const at = track.parts.findIndex((one) => one.id === id);
  const [own, other] = [track.parts[at], track.parts[at + by]];
  return own && other ? { ...track, parts: track.parts.with(at, other).with(at + by, own) } : track;
}
