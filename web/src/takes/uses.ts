import type { KitHit, Layer, LoadedTake, Role, Track } from "../api/types";
import { renamed } from "../steps/hits/layers";
import { hitsOf, ROLES, withHit } from "../steps/hits/pads";

/** What a loaded sound becomes: the kick, a new hit of a role, a layer of a hit, or the note of the bass line. */
export type Use = { as: "kick" } | { as: "hit"; role: Role } | { as: "layer"; hitId: string } | { as: "bass" };

const WORDS: [RegExp, Use][] = [
  [/kick|bd\b|bass ?drum/i, { as: "kick" }],
  [/808|sub|bass/i, { as: "bass" }],
  [/tom/i, { as: "hit", role: "tom" }],
  [/snare|rim/i, { as: "hit", role: "snare" }],
  [/clap/i, { as: "hit", role: "clap" }],
  [/open.?hat|cymbal|ride/i, { as: "hit", role: "open hat" }],
  [/hat/i, { as: "hit", role: "hat" }],
];

/** The use a file's name speaks for; each sound that there is one of is proposed once. */
export function proposedUse(name: string, taken: Use[]): Use {
  const found = WORDS.find(([word]) => word.test(name))?.[1] ?? { as: "hit", role: "percussion" };
  return found.as !== "hit" && taken.some((use) => use.as === found.as) ? { as: "hit", role: "percussion" } : found;
}

/** A loaded sound as a layer; what is left out the server fills in from the model. */
export function takeLayer(take: LoadedTake): Layer {
  return { id: "take-1", name: take.name, source: { engine: "take", take: take.id } } as Layer;
}

/** A name and an id that no hit of the track has. */
function freeName(track: Track, wanted: string, role: Role): { id: string; name: string } {
  const taken = new Set(hitsOf(track).flatMap((one) => [one.id, one.name, one.name.toLowerCase()]));
  const base = role.replace(/[^a-z0-9]+/g, "-");
  const short = wanted.slice(0, 34);
  let number = 1;
  const id = () => (number === 1 ? base : `${base}-${number}`);
  while (taken.has(id())) number++;
  let copy = 1;
  const name = () => (copy === 1 ? short : `${short} ${copy}`);
  while (taken.has(name())) copy++;
  return { id: id(), name: name() };
}

/** The track with one loaded sound in it. */
export function withTake(track: Track, take: LoadedTake, use: Use): Track {
  if (use.as === "bass") {
    const root_hz = take.landing_hz ?? track.bass.root_hz;
    return { ...track, bass: { ...track.bass, source: "recorded note", take: take.id, root_hz } };
  }
  if (use.as === "kick") {
    return { ...track, kick: { ...track.kick, layers: [takeLayer(take)], locked: [], front: [] } };
  }
  if (use.as === "layer") {
    return withHit(track, use.hitId, (one) => ({
      ...one,
      hit: { ...one.hit, layers: [...one.hit.layers, renamed(takeLayer(take), take.name, one.hit.layers)] },
    }));
  }
  const made = { ...freeName(track, take.name, use.role), role: use.role, hit: { layers: [takeLayer(take)] } };
  return { ...track, kit: [...track.kit, made as unknown as KitHit] };
}

/** The uses one may choose from, with what each is called. */
export function usesOf(track: Track, hitId: string | null): { key: string; name: string; use: Use }[] {
  const hits = hitsOf(track);
  const layers = hits.filter((one) => hitId === null || one.id === hitId);
  return [
    { key: "kick", name: "the kick, in place of its layers", use: { as: "kick" } },
    { key: "bass", name: "the note of the bass line", use: { as: "bass" } },
    ...ROLES.filter((role) => role.id !== "rumble").map((role) => ({
      key: `hit ${role.id}`,
      name: `a new hit: ${role.name.toLowerCase()}`,
      use: { as: "hit", role: role.id } as Use,
    })),
    ...layers.map((one) => ({
      key: `layer ${one.id}`,
      name: `a layer of ${one.name}`,
      use: { as: "layer", hitId: one.id } as Use,
    })),
  ];
}

/** How a use is named in the list above. */
export const keyOf = (use: Use) =>
  use.as === "hit" ? `hit ${use.role}` : use.as === "layer" ? `layer ${use.hitId}` : use.as;
