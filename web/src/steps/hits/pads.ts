import { BASS, kickOf, type NewPart, withPart } from "../../api/parts";
import type { Hit, MeasuredStart, Part, Role, Stroke, Track } from "../../api/types";

/** Places of the keyboard, not letters: the rows are the same on every layout. B is the bass, A, K and L are taken. */
export const PAD_CODES = [
  ...["KeyZ", "KeyX", "KeyC", "KeyV", "KeyN", "KeyM", "Comma", "Period"],
  ...["KeyS", "KeyD", "KeyF", "KeyG", "KeyH", "KeyJ", "KeyQ", "KeyW", "KeyE"],
];

export const padLabel = (index: number) => {
  const code = PAD_CODES[index] ?? "";
  return { Comma: ",", Period: "." }[code] ?? code.replace("Key", "");
};

export const ROLES: { id: Role; name: string }[] = [
  { id: "snare", name: "Snare" },
  { id: "clap", name: "Clap" },
  { id: "hat", name: "Hat" },
  { id: "open hat", name: "Open hat" },
  { id: "tom", name: "Tom" },
  { id: "percussion", name: "Percussion" },
  { id: "rumble", name: "Rumble" },
  { id: "sub", name: "Sub" },
  { id: "chord", name: "Chord" },
];

/** A role with its article. */
export const aRole = (role: string) => `${/^[aeiou]/.test(role) ? "an" : "a"} ${role}`;

/** What a part sounds as: the rest of the track may be anything. */
export const soundRole = (role: Part["role"]): Role => (role === "context" || role === "bass" ? "percussion" : role);

/** The hardest stroke: the hit as it is set. */
export const FULL_STRENGTH = 127;

/** A stroke at a place with nothing of its own. */
export const strokeAt = (at_beats: number, velocity = FULL_STRENGTH): Stroke => ({
  at_beats,
  velocity,
  shift_ms: 0,
  tune_cents: 0,
  slide_ms: 0,
  bend_cents: 0,
  note: null,
  length_beats: null,
});

/** Every part that is struck, in order: all but the bass. */
export const hitsOf = (track: Track): Part[] => track.parts.filter((one) => one.id !== BASS);

/** The track with one part changed, its strokes in the order they are played in. */
export const withHit = (track: Track, id: string, change: (hit: Part) => Part): Track =>
  withPart(track, id, (one) => {
    const made = change(one);
    const strokes = [...made.strokes].sort((first, second) => first.at_beats - second.at_beats);
    return { ...made, strokes };
  });

/** A new hit of the kit from a starting point, under a name that is free. */
export function hitFrom(start: MeasuredStart, track: Track): NewPart {
  const roleName = ROLES.find((one) => one.id === start.role)?.name ?? start.role;
  const taken = new Set(hitsOf(track).flatMap((one) => [one.id, one.name]));
  const base = start.role.replace(/[^a-z0-9]+/g, "-");
  let number = 1;
  const idOf = () => (number === 1 ? base : `${base}-${number}`);
  const nameOf = () => (number === 1 ? roleName : `${roleName} ${number}`);
  while (taken.has(idOf()) || taken.has(nameOf())) number++;
  const { role, hit, strokes, choke } = start;
  return { id: idOf(), name: nameOf(), role, hit, strokes, choke };
}

/** Whether a hit is made of the kick. */
export const hasRumble = (hit: Hit) => hit.layers.some((layer) => layer.source.engine === "rumble");

/** How loud and how far away a part is, as a key. */
export function placeKey(track: Track, one: Part): string {
  const front = track.parts.find((each) => each.id === one.distance?.behind);
  return JSON.stringify([one.gain_db, one.distance, front?.distance]);
}

/** What a stroke is made from, as a key: equal keys are equal sounds. */
export function strokeKey(track: Track, one: Part, velocity: number, layer: string | null): string {
  // The tempo and the kick change what is made to them.
  const also = hasRumble(one.hit) ? JSON.stringify(kickOf(track).hit) : "";
  const { bpm, sample_rate } = track.sheet;
  const place = placeKey(track, one);
  return `${one.id} ${velocity} ${layer} ${place} ${bpm} ${sample_rate} ${JSON.stringify(one.hit)} ${also}`;
}
