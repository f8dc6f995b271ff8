import type { ClashLayers, ClashMap } from "../api/types";
import { bandName } from "../controls/figures";

export const ROW = 19;
export const LEFT = 40;
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
}

/** Draw the map: moss where the kick is ahead, plum and crossed where the bass is, empty where no kick is. */
export function paint(canvas: HTMLCanvasElement | null, shown: Shown) {
  const { clash, rows, layers, layer, side, width, height, cell } = shown;
  const context = canvas?.getContext("2d");
  if (!canvas || !context) return;
  const ratio = window.devicePixelRatio || 1;
  canvas.width = width * ratio;
  canvas.height = height * ratio;
  context.scale(ratio, ratio);
  const style = getComputedStyle(document.documentElement);
  const colour = (name: string) => style.getPropertyValue(`--${name}`).trim();
  context.clearRect(0, 0, width, height);
  context.font = `10px ${style.getPropertyValue("--bs-font-monospace")}`;
  const frames = rows[0]?.length ?? 1;
  const step = (width - LEFT - 2) / frames;
  const part = layer === "kick" || layer === "bass" ? layer : null;
  const levels = part && layers ? layerRows(layers, part, side) : null;
  rows.forEach((row, index) => {
    const y = height - BOTTOM - (index + 1) * ROW;
    context.fillStyle = colour(clash.judged[index] ? "ink" : "soft");
    context.textAlign = "right";
    context.fillText(bandName(clash.centres_hz[index] ?? 0), LEFT - 6, y + 13);
    context.fillStyle = colour("card");
    context.fillRect(LEFT, y, width - LEFT - 2, ROW - 1);
    const judged = clash.judged[index] ? 1 : 0.4;
    row.forEach((value, frame) => {
      const x = LEFT + frame * step;
      if (part) {
        const level = levels?.[index]?.[frame] ?? QUIET_DB;
        context.fillStyle = colour(part);
        context.globalAlpha = Math.max(0, 1 - level / QUIET_DB);
        context.fillRect(x, y, Math.max(1, step + 0.4), ROW - 1);
        return;
      }
      if (value === null) return;
      const over = Math.min(1, Math.max(0, (CLEAR_DB - value) / (CLEAR_DB - BURIED_DB)));
      context.fillStyle = colour(value >= 0 ? "room" : "clash");
      const depth = layer === "winner" ? 0.8 : value >= 0 ? 1 - 0.8 * over : 0.35 + 0.65 * over;
      context.globalAlpha = judged * depth;
      context.fillRect(x, y, Math.max(1, step + 0.4), ROW - 1);
      if (value < 0) {
        context.globalAlpha = 0.9;
        context.strokeStyle = colour("card");
        context.beginPath();
        context.moveTo(x, y + ROW - 1);
        context.lineTo(x + step, y);
        context.stroke();
      }
    });
    context.globalAlpha = 1;
  });
  context.fillStyle = colour("soft");
  context.textAlign = "left";
  const beats = frames * clash.frame_beats;
  const every = beats > 32 ? 8 : beats > 8 ? 4 : 1;
  for (let beat = 0; beat < beats - 0.01; beat += every) {
    const x = LEFT + (beat / beats) * (width - LEFT - 2);
    context.fillText(`${Math.floor(beat / 4) + 1}.${(beat % 4) + 1}`, x, height - 4);
    context.fillRect(x, 0, 0.6, height - BOTTOM);
  }
  if (cell) {
    context.strokeStyle = colour("ink");
    context.lineWidth = 1.5;
    context.strokeRect(
      LEFT + cell.frame * step - 1,
      height - BOTTOM - (cell.row + 1) * ROW,
      Math.max(4, step + 2),
      ROW - 1,
    );
  }
}
