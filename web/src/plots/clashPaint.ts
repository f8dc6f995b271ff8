import type { ClashLayers, ClashMap } from "../api/types";
import { bandName } from "../controls/figures";
import { AXIS_LEFT, AXIS_RIGHT, axisX, barBeat } from "./axis";

export const ROW = 14;
export const LEFT = AXIS_LEFT;
const BOTTOM = 16;
/** From here on the kick counts as clear, and from here down as buried. */
const CLEAR_DB = 10;
const BURIED_DB = -6;
const QUIET_DB = -40;

/** What the map shows: kick over bass, who is ahead, or one part's own level. */
export type ClashLayer = "difference" | "winner" | "kick" | "bass";

/** One part's levels by band and frame on a side. */
export function layerRows(layers: ClashLayers, part: "kick" | "bass", side: "before" | "after"): number[][] {
  if (part === "kick") return side === "before" ? layers.kick_before_db : layers.kick_db;
  return side === "before" ? layers.bass_before_db : layers.bass_db;
}

interface Shown {
  clash: ClashMap;
  rows: (number | null)[][];
  layers: ClashLayers | undefined;
  layer: ClashLayer;
  side: "before" | "after";
  width: number;
  height: number;
  cell: { row: number; frame: number } | null;
  /** The beats in sight. */
  sight: { from: number; to: number };
}

/** Draw the map: moss where the kick is ahead, plum and crossed where the bass is, empty where no kick is. */
export function paint(canvas: HTMLCanvasElement | null, shown: Shown) {
  const { clash, rows, layers, layer, side, width, height, cell, sight } = shown;
  const context = canvas?.getContext("2d");
  if (!canvas || !context) return;
  const ratio = window.devicePixelRatio || 1;
  canvas.width = width * ratio;
  canvas.height = height * ratio;
  context.scale(ratio, ratio);
  const style = getComputedStyle(document.documentElement);
  const colour = (name: string) => style.getPropertyValue(`--${name}`).trim();
  context.clearRect(0, 0, width, height);
  context.font = `11px ${style.getPropertyValue("--bs-font-monospace")}`;
  const x = axisX(sight, width);
  const step = x(clash.frame_beats) - x(0);
  const span = width - LEFT - AXIS_RIGHT;
  const part = layer === "kick" || layer === "bass" ? layer : null;
  const levels = part && layers ? layerRows(layers, part, side) : null;
  rows.forEach((row, index) => {
    const y = height - BOTTOM - (index + 1) * ROW;
    context.fillStyle = colour(clash.judged[index] ? "ink" : "soft");
    context.textAlign = "right";
    context.fillText(bandName(clash.centres_hz[index] ?? 0), LEFT - 6, y + 11);
    context.fillStyle = colour("card");
    context.fillRect(LEFT, y, span, ROW - 1);
    context.save();
    context.beginPath();
    context.rect(LEFT, y, span, ROW - 1);
    context.clip();
    const judged = clash.judged[index] ? 1 : 0.4;
    row.forEach((value, frame) => {
      const left = x(frame * clash.frame_beats);
      if (left + step < LEFT || left > LEFT + span) return;
      if (part) {
        const level = levels?.[index]?.[frame] ?? QUIET_DB;
        context.fillStyle = colour(part);
        context.globalAlpha = Math.max(0, 1 - level / QUIET_DB);
        context.fillRect(left, y, Math.max(1, step + 0.4), ROW - 1);
        return;
      }
      if (value === null) return;
      const over = Math.min(1, Math.max(0, (CLEAR_DB - value) / (CLEAR_DB - BURIED_DB)));
      context.fillStyle = colour(value >= 0 ? "room" : "clash");
      const depth = layer === "winner" ? 0.8 : value >= 0 ? 1 - 0.8 * over : 0.35 + 0.65 * over;
      context.globalAlpha = judged * depth;
      context.fillRect(left, y, Math.max(1, step + 0.4), ROW - 1);
      if (value < 0) {
        context.globalAlpha = 0.9;
        context.strokeStyle = colour("card");
        context.beginPath();
        context.moveTo(left, y + ROW - 1);
        context.lineTo(left + step, y);
        context.stroke();
      }
    });
    context.restore();
    context.globalAlpha = 1;
  });
  context.fillStyle = colour("soft");
  context.textAlign = "right";
  context.fillText("Hz", LEFT - 6, height - 3);
  context.textAlign = "left";
  const beats = sight.to - sight.from;
  const every = beats > 32 ? 8 : beats > 16 ? 4 : 1;
  for (let beat = sight.from; beat < sight.to - 0.01; beat += every) {
    context.fillText(barBeat(beat), x(beat) + 3, height - 3);
    if (beat % 4 === 0) context.fillRect(x(beat), 0, 0.6, height - BOTTOM);
  }
  if (cell) {
    context.strokeStyle = colour("ink");
    context.lineWidth = 1.5;
    context.strokeRect(
      x(cell.frame * clash.frame_beats) - 1,
      height - BOTTOM - (cell.row + 1) * ROW,
      Math.max(4, step + 2),
      ROW - 1,
    );
  }
}
