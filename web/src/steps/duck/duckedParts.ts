import type { Duck, Target, Track } from "../../api/types";
import { hitsOf } from "../hits/pads";

export const BASS = "bass";
const KICK = "kick";

/** How a part is ducked, if it is. */
export const targetOf = (track: Track, part: string): Target | undefined =>
  track.ducking.targets.find((one) => one.part === part);

/** Every curve of a part of its own; the bass's first is the track's. */
export const curvesOf = (track: Track, part: string): Duck[] => [
  ...(part === BASS ? [track.duck] : []),
  ...(targetOf(track, part)?.curves ?? []),
];

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

/** The track with a part's curves as given, the bass's first among them. */
export function withCurves(track: Track, part: string, curves: Duck[]): Track {
  if (part !== BASS) return withTarget(track, part, { curves, follows: null });
  const [first = track.duck, ...more] = curves;
  const made = { ...track, duck: first };
  return more.length || targetOf(track, BASS) ? withTarget(made, BASS, { curves: more, follows: null }) : made;
}

/** The track with one curve of a part changed: its first, or the one at a place. */
export function withCurve(track: Track, part: string, change: Partial<Duck>, index = 0): Track {
  const curves = curvesOf(track, part);
  // A new curve begins as the bass's own.
  const before = curves[index] ?? { ...track.duck, recovery_beats: null, fitted: null };
  const made = [...curves];
  made[index] = { ...before, ...change };
  return withCurves(track, part, made);
}

/** Whether a part is ducked by curves of its own or by another's. */
const isDucked = (one: Target) => one.curves.length > 0 || !!one.follows;

/** Parts beside the bass that are ducked. */
export const duckedParts = (track: Track) =>
  track.ducking.targets.filter((one) => one.part !== BASS && isDucked(one)).map((one) => one.part);

/** Parts that may still be ducked, with their names. */
export function freeParts(track: Track): { id: string; name: string }[] {
  const taken = new Set(duckedParts(track));
  return hitsOf(track)
    .filter((one) => !taken.has(one.id))
    .map((one) => ({ id: one.id, name: one.name }));
}

/** Where a part's level in the loop stands: the model it is a ruler of, and its name there. */
export function levelOf(track: Track, part: string): { model: string; name: string; values: object } {
  if (part === BASS || part === KICK) return { model: "Mix", name: `${part}_gain_db`, values: track.mix };
  return { model: "KitHit", name: "gain_db", values: track.kit.find((one) => one.id === part) ?? {} };
}

/** The track with a part at another level. */
export function withLevel(track: Track, part: string, name: string, value: number): Track {
  if (part === BASS || part === KICK) return { ...track, mix: { ...track.mix, [name]: value } };
  return { ...track, kit: track.kit.map((one) => (one.id === part ? { ...one, gain_db: value } : one)) };
}

/** The track without a hit: what it was ducked by goes with it, and it keys and leads nothing any more. */
export function withoutHit(track: Track, id: string): Track {
  const unkeyed = (one: Duck): Duck => ({
    ...one,
    key: { ...one.key, hit_ids: one.key.hit_ids.filter((hit) => hit !== id) },
  });
  const targets = track.ducking.targets
    .filter((one) => one.part !== id)
    .map((one) => ({
      ...one,
      curves: one.curves.map(unkeyed),
      follows: one.follows === id ? null : (one.follows ?? null),
    }));
  return {
    ...track,
    kit: track.kit.filter((one) => one.id !== id),
    duck: unkeyed(track.duck),
    ducking: { ...track.ducking, targets },
  };
}

/** What a part is called. */
export const partName = (track: Track, part: string) =>
  part === BASS ? "Bass" : (hitsOf(track).find((one) => one.id === part)?.name ?? part);
