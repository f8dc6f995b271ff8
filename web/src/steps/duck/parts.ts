import type { Duck, Target, Track } from "../../api/types";
import { hitsOf } from "../hits/pads";

export const BASS = "bass";

/** How a part is ducked, if it is. */
export const targetOf = (track: Track, part: string): Target | undefined =>
  track.ducking.targets.find((one) => one.part === part);

/** The curve of a part that is drawn and solved: the bass's own, of another its first. */
export const curveOf = (track: Track, part: string): Duck | undefined =>
  part === BASS ? track.duck : targetOf(track, part)?.curves[0];

/** The track with one part's way of being ducked changed. */
export function withTarget(track: Track, part: string, change: Partial<Target>): Track {
  const { targets } = track.ducking;
  const known = targets.some((one) => one.part === part);
  // What is left out the server fills in from the model.
  const made = known
    ? targets.map((one) => (one.part === part ? { ...one, ...change } : one))
    : [...targets, { part, curves: [], ...change } as unknown as Target];
  return { ...track, ducking: { ...track.ducking, targets: made } };
}

/** The track with one part's first curve changed. */
export function withCurve(track: Track, part: string, change: Partial<Duck>): Track {
  if (part === BASS) return { ...track, duck: { ...track.duck, ...change } };
  const curves = targetOf(track, part)?.curves ?? [];
  // A new curve begins as the bass's own.
  const first: Duck = { ...(curves[0] ?? { ...track.duck, recovery_beats: null }), ...change };
  return withTarget(track, part, { curves: [first, ...curves.slice(1)] });
}

/** Parts that may still be ducked, with their names. */
export function freeParts(track: Track): { id: string; name: string }[] {
  const taken = new Set(track.ducking.targets.filter((one) => one.curves.length).map((one) => one.part));
  return hitsOf(track)
    .filter((one) => !taken.has(one.id))
    .map((one) => ({ id: one.id, name: one.name }));
}

/** What a part is called. */
export const partName = (track: Track, part: string) =>
  part === BASS ? "Bass" : (hitsOf(track).find((one) => one.id === part)?.name ?? part);
