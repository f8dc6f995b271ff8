import {
  BASS,
  bassIsLayers,
  bassOf,
  instrumentOf,
  KICK,
  kickOf,
  type NewPart,
  wholePart,
  withInstrument,
  withMore,
  withPart,
} from "../api/parts";
import type { Layer, LoadedTake, Part, Role, Stroke, Track } from "../api/types";
import { renamed } from "../steps/hits/layers";
import { hitsOf, ROLES, strokeAt, withHit } from "../steps/hits/pads";

/** What a loaded sound becomes: a stem that plays along, the kick, a new hit of a role, a layer of a hit, or the note of the bass line. */
export type Use =
  | { as: "line" }
  | { as: "context" }
  | { as: "kick" }
  | { as: "kick loop" }
  | { as: "hit"; role: Role }
  | { as: "layer"; hitId: string }
  | { as: "bass" };

const WORDS: [RegExp, Use][] = [
  [/bass ?(line|loop|stem)/i, { as: "line" }],
  [/(kick|bd|bass ?drum).*(loop|stem)/i, { as: "kick loop" }],
  [/stem|mix|loop|pad|chord|vocal|lead|synth|music/i, { as: "context" }],
  [/kick|bd\b|bass ?drum/i, { as: "kick" }],
  [/808|sub|bass/i, { as: "bass" }],
  [/tom/i, { as: "hit", role: "tom" }],
  [/snare|rim/i, { as: "hit", role: "snare" }],
  [/clap/i, { as: "hit", role: "clap" }],
  [/open.?hat|cymbal|ride/i, { as: "hit", role: "open hat" }],
  [/hat/i, { as: "hit", role: "hat" }],
];

/** Roles that a sound may be proposed for by what it measures: the kick is replaced by nobody's guess. */
const READ: Role[] = ["snare", "clap", "hat", "open hat", "tom"];

/** The use a file's name speaks for, else what it measures as; each sound that there is one of is proposed once. */
export function proposedUse(name: string, taken: Use[], read?: Role): Use {
  const measured: Use = { as: "hit", role: read && READ.includes(read) ? read : "percussion" };
  const found = WORDS.find(([word]) => word.test(name))?.[1] ?? measured;
  const place = placeOf(found);
  return place !== null && taken.some((use) => placeOf(use) === place) ? { as: "hit", role: "percussion" } : found;
}

/** Where a loaded sound begins: at its onset, so that it is not late; its lead-in stays in the file. */
export const beginOf = (take: LoadedTake): number => take.onset_ms ?? 0;

/** A loaded sound as a layer; what is left out the server fills in from the model. */
export function takeLayer(take: LoadedTake): Layer {
  const source = { engine: "take", take: take.id, begin_ms: beginOf(take) };
  return { id: "take-1", name: take.name, source, chain: [] } as unknown as Layer;
}

const stemSource = (take: LoadedTake) => ({ engine: "take", take: take.id });

const BAR_BEATS = 4;
/** A file this close to whole bars is a loop of them. */
const NEARLY_BARS = 0.02;

/** Where a stem starts: on bar 1, and again where it is a loop of whole bars shorter than the track's. */
export function turnsOf(track: Track, duration_ms: number): Stroke[] {
  const bars = (duration_ms * track.sheet.bpm) / (60_000 * BAR_BEATS);
  const whole = Math.round(bars);
  const every = whole >= 1 && Math.abs(bars - whole) < NEARLY_BARS * whole ? whole : track.sheet.bars;
  return Array.from({ length: Math.ceil(track.sheet.bars / every) }, (_, turn) => strokeAt(turn * every * BAR_BEATS));
}

/** A name and an id that no hit of the track has. */
export function freeName(track: Track, wanted: string, role: Role | "context"): { id: string; name: string } {
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

/** The track with one loaded sound in it; plain: what a part is where nothing else is said. */
export function withTake(track: Track, plain: Partial<Part>, take: LoadedTake, use: Use): Track {
  if (use.as === "bass") {
    const root_hz = take.landing_hz ?? instrumentOf(track).root_hz;
    const instrument = {
      ...instrumentOf(track),
      source: "recorded note" as const,
      take: take.id,
      note_begin_ms: beginOf(take),
      root_hz,
    };
    return withPart(track, BASS, (one) => ({ ...one, instrument }));
  }
  if (use.as === "line") {
    return withInstrument(track, { source: "recorded line", take: take.id, begin_ms: 0 });
  }
  // Its strokes are read by the server once it is loaded.
  if (use.as === "kick loop") return track;
  if (use.as === "kick") {
    return withPart(track, KICK, (one) => ({
      ...one,
      hit: { ...one.hit, layers: [takeLayer(take)], locked: [], front: [] },
    }));
  }
  if (use.as === "layer") {
    return withHit(track, use.hitId, (one) => ({
      ...one,
      hit: { ...one.hit, layers: [...one.hit.layers, renamed(takeLayer(take), take.name, one.hit.layers)] },
    }));
  }
  if (use.as === "context") {
    const made: NewPart = {
      ...freeName(track, take.name, "context"),
      role: "context",
      // Where a stem begins is where its bar 1 is: its first sound need not be on it.
      hit: {
        layers: [{ ...takeLayer(take), source: stemSource(take) } as Layer],
        velocity: { ...plain.hit?.velocity, rings: true } as Part["hit"]["velocity"],
      },
      strokes: turnsOf(track, take.duration_ms),
      gain_db: 0,
    };
    return withMore(track, wholePart(plain, made));
  }
  const named = freeName(track, take.name, use.role);
  return withMore(track, wholePart(plain, { ...named, role: use.role, hit: { layers: [takeLayer(take)] } }));
}

/** The place in the track that only one sound can have; null where there is room for any number. */
export const placeOf = (use: Use): "kick" | "bass" | null =>
  use.as === "kick" || use.as === "kick loop" ? "kick" : use.as === "bass" || use.as === "line" ? "bass" : null;

/** What of the track a use puts something else in the place of, in words; null where it only adds. */
export function replacedBy(track: Track, use: Use): string | null {
  const layers = kickOf(track)
    .hit.layers.map((one) => one.name)
    .join(", ");
  if (use.as === "kick") return layers ? `replaces the kick's layers: ${layers}` : null;
  if (use.as === "kick loop") {
    const strokes = kickOf(track).strokes.length;
    const old = [layers && `the kick's layers (${layers})`, strokes && `its ${strokes} strokes`].filter(Boolean);
    return old.length ? `replaces ${old.join(" and ")}` : null;
  }
  if (use.as === "bass") return `replaces the source of the bass: ${instrumentOf(track).source}`;
  if (use.as === "line") {
    const notes = bassOf(track).notes.length;
    return `replaces the source of the bass: ${instrumentOf(track).source}${notes ? `, and its ${notes} notes with those that are read` : ""}`;
  }
  return null;
}

/** Places that more than one of these uses would have. */
export const claimedTwice = (uses: Use[]): string[] => {
  const places = uses.map(placeOf).filter((place) => place !== null);
  return [...new Set(places.filter((place, index) => places.indexOf(place) !== index))];
};

/** The uses one may choose from, with what each is called. */
export function usesOf(track: Track, hitId: string | null): { key: string; name: string; use: Use }[] {
  // The bass too, where it is layers of its own.
  const layers = track.parts.filter(
    (one) => (hitId === null || one.id === hitId) && (one.id !== BASS || bassIsLayers(track)),
  );
  return [
    { key: "kick", name: "the kick, in place of its layers", use: { as: "kick" } },
    { key: "kick loop", name: "the kick, as a loop", use: { as: "kick loop" } },
    { key: "context", name: "the rest of the track: plays along, is not delivered", use: { as: "context" } },
    { key: "bass", name: "the note of the bass line", use: { as: "bass" } },
    { key: "line", name: "the bass line, as a loop", use: { as: "line" } },
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
