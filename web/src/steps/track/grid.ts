import type { BassNote } from "../../api/types";

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
