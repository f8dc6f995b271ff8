import { BASS, bassOf, partOf, withPart } from "../../api/parts";
import type { Duck, Ducked, Track } from "../../api/types";
import { hitsOf } from "../hits/pads";

/** How a part is ducked. */
export const duckedOf = (track: Track, part: string): Ducked | undefined => partOf(track, part)?.ducked;

/** Every curve of a part of its own. */
export const curvesOf = (track: Track, part: string): Duck[] => duckedOf(track, part)?.curves ?? [];

/** The first curve that the bass is ducked by: it keeps one, on or off. */
export const firstCurve = (track: Track): Duck => bassOf(track).ducked.curves[0] as Duck;

/** The track with one part's way of being ducked changed. */
export const withDucked = (track: Track, part: string, change: Partial<Ducked>): Track =>
  withPart(track, part, (one) => ({ ...one, ducked: { ...one.ducked, ...change } }));

/** The track with a part's curves as given; the bass keeps its first. */
export function withCurves(track: Track, part: string, curves: Duck[]): Track {
  const kept = part === BASS && curves.length === 0 ? [firstCurve(track)] : curves;
  return withDucked(track, part, { curves: kept, follows: null });
}

/** The track with one curve of a part changed: its first, or the one at a place. */
export function withCurve(track: Track, part: string, change: Partial<Duck>, index = 0): Track {
  const curves = curvesOf(track, part);
  // A new curve begins as the bass's own.
  const before = curves[index] ?? { ...firstCurve(track), recovery_beats: null, fitted: null };
  const made = [...curves];
  made[index] = { ...before, ...change };
  return withCurves(track, part, made);
}

/** Parts that have a curve, on or off, of their own or another's, in order: the bass always. */
export const duckedParts = (track: Track) =>
  track.parts.filter(({ ducked }) => ducked.curves.length > 0 || !!ducked.follows).map((one) => one.id);

/** Parts that may still be ducked, with their names. */
export function freeParts(track: Track): { id: string; name: string }[] {
  const taken = new Set(duckedParts(track));
  return hitsOf(track)
    .filter((one) => !taken.has(one.id))
    .map((one) => ({ id: one.id, name: one.name }));
}

/** The track without a hit: what it was ducked by goes with it, and it keys and leads nothing any more. */
export function withoutHit(track: Track, id: string): Track {
  const unkeyed = (one: Duck): Duck => ({
    ...one,
    key: { ...one.key, hit_ids: one.key.hit_ids.filter((hit) => hit !== id) },
  });
  const parts = track.parts
    .filter((one) => one.id !== id)
    .map((one) => ({
      ...one,
      ducked: {
        ...one.ducked,
        curves: one.ducked.curves.map(unkeyed),
        follows: one.ducked.follows === id ? null : (one.ducked.follows ?? null),
      },
    }));
  return { ...track, parts };
}

/** What a part is called. */
export const partName = (track: Track, part: string) => partOf(track, part)?.name ?? part;
