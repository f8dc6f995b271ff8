import type { KeyboardEvent, PointerEvent } from "react";
import { axisBeat } from "./axis";
import { ROW } from "./clashPaint";

export interface Cell {
  row: number;
  frame: number;
}

export const BOTTOM = 16;

/** The cell of a map of bands by time that lies under the pointer, rows from below; null beside the map. */
export function cellUnder(
  event: PointerEvent,
  canvas: HTMLCanvasElement | null,
  rows: number,
  frames: number,
  width: number,
  clash: { frame_beats: number },
  sight: { from: number; to: number },
): Cell | null {
  const box = canvas?.getBoundingClientRect();
  if (!box) return null;
  const beat = axisBeat(sight, width)(event.clientX - box.left);
  if (beat < sight.from || beat >= sight.to) return null;
  const frame = Math.floor(beat / clash.frame_beats);
  const row = Math.floor((rows * ROW - (event.clientY - box.top)) / ROW);
  return frame >= 0 && frame < frames && row >= 0 && row < rows ? { row, frame } : null;
}

/** The cell that an arrow key leads to, Shift ten at once and around the loop; null for any other key. */
export function cellBeside(event: KeyboardEvent, now: Cell, rows: number, frames: number): Cell | null {
  const by = { ArrowLeft: [0, -1], ArrowRight: [0, 1], ArrowUp: [1, 0], ArrowDown: [-1, 0] }[event.key];
  if (!by) return null;
  const step = event.shiftKey ? 10 : 1;
  return {
    row: Math.min(rows - 1, Math.max(0, now.row + (by[0] ?? 0))),
    frame: (now.frame + step * (by[1] ?? 0) + frames) % frames,
  };
}
