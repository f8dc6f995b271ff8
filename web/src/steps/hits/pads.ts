import type { Hit, KitHit, MeasuredStart, Role, Stroke, Track } from "../../api/types";

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

/** What a part sounds as: the rest of the track may be anything. */
export const soundRole = (role: KitHit["role"]): Role => (role === "context" ? "percussion" : role);

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

/** Whether a stroke is as hard as can be and has nothing of its own. */
const isPlain = (stroke: Stroke) =>
  Object.entries(strokeAt(stroke.at_beats)).every(
    ([name, value]) => (stroke[name as keyof Stroke] ?? null) === value,
  );

/** Every hit as one kind of thing, the kick first. */
export function hitsOf(track: Track): KitHit[] {
  const felt = new Map(track.kick_strokes.map((stroke) => [stroke.at_beats, stroke]));
  const strokes = track.kick_at_beats.map((at) => felt.get(at) ?? strokeAt(at));
  // It is never cut under itself: what a hit has for that is left out.
  const kick = {
    id: "kick",
    name: "Kick",
    role: "kick",
    hit: track.kick,
    strokes,
    gain_db: track.mix.kick_gain_db,
    choke: track.mix.kick_choke,
    muted: false,
  } as KitHit;
  return [kick, ...track.kit];
}

/** The track with one hit changed; what a kick has elsewhere in the track is put back there. */
export function withHit(track: Track, id: string, change: (hit: KitHit) => KitHit): Track {
  if (id !== "kick") return { ...track, kit: track.kit.map((one) => (one.id === id ? change(one) : one)) };
  const now = hitsOf(track)[0] as KitHit;
  const made = change(now);
  const strokes = [...made.strokes].sort((one, other) => one.at_beats - other.at_beats);
  return {
    ...track,
    kick: made.hit,
    kick_at_beats: strokes.map((stroke) => stroke.at_beats),
    kick_strokes: strokes.filter((stroke) => !isPlain(stroke)),
    mix: { ...track.mix, kick_gain_db: made.gain_db, kick_choke: made.choke },
  };
}

/** The track with a hit one place earlier or later among the others, wherever parts are listed. */
export function moved(track: Track, id: string, by: -1 | 1): Track {
  const at = track.kit.findIndex((one) => one.id === id);
  const other = track.kit[at + by];
  const own = track.kit[at];
  if (!own || !other) return track;
  return { ...track, kit: track.kit.with(at, other).with(at + by, own) };
}

/** A new hit of the kit from a starting point, under a name that is free. */
export function hitFrom(start: MeasuredStart, track: Track): KitHit {
  const roleName = ROLES.find((one) => one.id === start.role)?.name ?? start.role;
  const taken = new Set(hitsOf(track).flatMap((one) => [one.id, one.name]));
  const base = start.role.replace(/[^a-z0-9]+/g, "-");
  let number = 1;
  const idOf = () => (number === 1 ? base : `${base}-${number}`);
  const nameOf = () => (number === 1 ? roleName : `${roleName} ${number}`);
  while (taken.has(idOf()) || taken.has(nameOf())) number++;
  // The server fills in the level from the model.
  return {
    id: idOf(),
    name: nameOf(),
    role: start.role,
    hit: start.hit,
    strokes: start.strokes,
    choke: start.choke,
  } as KitHit;
}

/** Whether a hit is made of the kick. */
export const hasRumble = (hit: Hit) => hit.layers.some((layer) => layer.source.engine === "rumble");

/** What a stroke is made from, as a key: equal keys are equal sounds. */
export function strokeKey(track: Track, one: KitHit, velocity: number, layer: string | null): string {
  // The tempo and the kick change what is made to them.
  const also = hasRumble(one.hit) ? JSON.stringify(track.kick) : "";
  const { bpm, sample_rate } = track.sheet;
  return `${one.id} ${velocity} ${layer} ${one.gain_db} ${bpm} ${sample_rate} ${JSON.stringify(one.hit)} ${also}`;
}
