import { BASS, bassOf, othersOf, withPart } from "../../api/parts";
import type { BassNote, Part, Stroke, Track } from "../../api/types";
import { hitsOf, strokeAt, withHit } from "../hits/pads";

/** A note of any part's line as the grid draws it; of a hit with the stroke it is. */
export type LineNote = BassNote & { stroke?: Stroke };

const USUAL = 100;
/** A note that has no end is drawn as long as this. */
const OPEN_BEATS = 1;

/** Parts that may have a line: the bass, and every hit that is no stem of the rest, the kick, or made of it. */
export const lineParts = (track: Track): string[] => [
  BASS,
  ...othersOf(track).flatMap((one) => (one.role === "context" || one.role === "rumble" ? [] : [one.id])),
];

/** Whose line a part plays, where that is not its own. */
export const doublesOf = (track: Track, part: string): Part["doubles"] =>
  othersOf(track).find((one) => one.id === part)?.doubles ?? null;

const asNote = (stroke: Stroke): LineNote => ({
  at_beats: stroke.at_beats,
  length_beats: stroke.length_beats ?? OPEN_BEATS,
  note: stroke.note ?? 0,
  gain_db: 0,
  slide_ms: stroke.slide_ms,
  bend_cents: stroke.bend_cents,
  stroke,
});

const asStroke = ({ stroke, at_beats, length_beats, note, slide_ms, bend_cents }: LineNote): Stroke => {
  const was = stroke ?? strokeAt(at_beats, USUAL);
  // What has no end keeps none until its length is set.
  const open = stroke && stroke.length_beats == null && length_beats === OPEN_BEATS;
  return { ...was, at_beats, note, slide_ms, bend_cents, length_beats: open ? null : length_beats };
};

/** Notes that a part has written: its own, also while it doubles another's. */
export function notesOf(track: Track, part: string): LineNote[] {
  if (part === BASS) return bassOf(track).notes;
  const strokes = hitsOf(track).find((one) => one.id === part)?.strokes ?? [];
  return strokes.filter((one) => one.note != null).map(asNote);
}

/** Notes as a part plays them: those of the line that it doubles, as many octaves away. */
export function playedNotes(track: Track, part: string): LineNote[] {
  const doubles = doublesOf(track, part);
  if (!doubles) return notesOf(track, part);
  return notesOf(track, doubles.of).map((one) => ({ ...one, note: one.note + 12 * doubles.octaves }));
}

/** The track with these notes as a part's line, or in with what it has; strokes at their places make way. */
export function withLine(track: Track, part: string, notes: LineNote[], replace: boolean): Track {
  const places = new Set(notes.map((one) => one.at_beats));
  const cleared =
    part === BASS
      ? track
      : withHit(track, part, (one) => ({
          ...one,
          doubles: null,
          strokes: one.strokes.filter((stroke) => !places.has(stroke.at_beats) && (!replace || stroke.note != null)),
        }));
  return withNotes(cleared, part, (own) => [
    ...(replace ? [] : own.filter((one) => !places.has(one.at_beats))),
    ...notes,
  ]);
}

/** The track with a part's notes changed; of a hit no two strokes may be at one place, and such a change is none. */
export function withNotes(track: Track, part: string, change: (notes: LineNote[]) => LineNote[]): Track {
  if (part === BASS) return withPart(track, BASS, (one) => ({ ...one, notes: change(one.notes) }));
  return withHit(track, part, (one) => {
    const plain = one.strokes.filter((stroke) => stroke.note == null);
    const strokes = [...plain, ...change(notesOf(track, part)).map(asStroke)];
    const places = new Set(strokes.map((stroke) => stroke.at_beats));
    return places.size < strokes.length ? one : { ...one, strokes };
  });
}
