import type { BassNote, Track } from "../../api/types";

/** The grid's cell, in beats. */
export const CELL = 0.25;
export const snap = (beats: number) => Math.round(beats / CELL) * CELL;

/**
 * Rows of the note grid, high to low: notes of the key, and any other note that is used; or every note from the lowest the
 * bass can play to its highest.
 */
export function rowsOf(
  rungs: { note: number }[],
  notes: BassNote[],
  low: number,
  high: number,
  every: [number, number] | null = null,
): number[] {
  const used = notes.map((note) => note.note);
  if (every) return Array.from({ length: every[1] - every[0] + 1 }, (_, row) => every[1] - row);
  const inKey = rungs.map((rung) => rung.note).filter((note) => note >= low && note <= high);
  return [...new Set([...inKey, ...used])].sort((one, other) => other - one);
}

/** What a new note has of its own: nothing. */
export const PLAIN = { gain_db: 0, slide_ms: 0, bend_cents: 0 };

/** A note kept inside the loop and at least one cell long. */
export function kept(note: BassNote, lengthBeats: number): BassNote {
  const at_beats = Math.min(lengthBeats - CELL, Math.max(0, note.at_beats));
  const length_beats = Math.min(lengthBeats - at_beats, Math.max(CELL, note.length_beats));
  return { ...note, at_beats, length_beats };
}

const BAR = 4;
/** How many bars of a loop hold anything, from its start. */
export function barsUsed(track: Track): number {
  const strokes = [
    track.kick_at_beats,
    ...track.kit.map((one) => one.strokes.map((stroke) => stroke.at_beats)),
  ].flat();
  const places = [...strokes, ...track.bass_notes.map((note) => note.at_beats)].filter(
    (at) => at < track.sheet.bars * BAR,
  );
  return places.length ? Math.floor(Math.max(...places) / BAR) + 1 : 0;
}

/** The track with what its first bars hold repeated to its end. */
export function filled(track: Track): Track {
  const used = barsUsed(track) * BAR;
  const end = track.sheet.bars * BAR;
  const again = <T extends { at_beats: number }>(all: T[]): T[] => {
    const first = all.filter((one) => one.at_beats < used);
    const turns = Array.from({ length: Math.ceil(end / used) }, (_, turn) => turn * used);
    return turns.flatMap((from) =>
      first.map((one) => ({ ...one, at_beats: one.at_beats + from })).filter((one) => one.at_beats < end),
    );
  };
  if (used === 0 || used >= end) return track;
  return {
    ...track,
    kick_at_beats: again(track.kick_at_beats.map((at_beats) => ({ at_beats }))).map((one) => one.at_beats),
    kick_strokes: again(track.kick_strokes),
    kit: track.kit.map((one) => ({ ...one, strokes: again(one.strokes) })),
    bass_notes: again(track.bass_notes).map((note) => kept(note, end)),
  };
}
