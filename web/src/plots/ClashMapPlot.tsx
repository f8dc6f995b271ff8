import { useEffect, useRef } from "react";
import type { ClashMap } from "../api/types";
import { bandName } from "../controls/figures";
import { useWidth } from "./useWidth";

const ROW = 19;
const LEFT = 40;
const BOTTOM = 16;
/** From here on the kick counts as clear, and from here down as buried. */
const CLEAR_DB = 10;
const BURIED_DB = -6;

/** Bands by time: moss where the kick is clear, plum and crossed where the bass is over it, empty where no kick is. */
export function ClashMapPlot({ clash, side }: { clash: ClashMap; side: "before" | "after" }) {
  const [follow, width] = useWidth(500);
  const canvas = useRef<HTMLCanvasElement>(null);
  const rows = side === "before" ? clash.before_db : clash.after_db;
  const height = rows.length * ROW + BOTTOM;
  useEffect(() => {
    const draw = () => paint(canvas.current, clash, rows, width, height);
    draw();
    const watcher = new MutationObserver(draw);
    watcher.observe(document.documentElement, { attributes: true, attributeFilter: ["data-bs-theme"] });
    return () => watcher.disconnect();
  }, [clash, rows, width, height]);
  const judged = rows.filter((_, row) => clash.judged[row]);
  const cells = judged.flat().filter((value) => value !== null);
  const under = cells.filter((value) => value < 0).length;
  return (
    <div ref={follow}>
      <div className="small soft">
        Clash, {side}: <span className="room-text">■ kick clear</span>{" "}
        <span className="clash-text">╱ bass over the kick</span>
      </div>
      <canvas
        ref={canvas}
        style={{ width, height }}
        role="img"
        aria-label={`Clash map ${side}: of ${cells.length} judged cells the bass is over the kick in ${under}`}
      />
    </div>
  );
}

function paint(
  canvas: HTMLCanvasElement | null,
  clash: ClashMap,
  rows: (number | null)[][],
  width: number,
  height: number,
) {
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
  rows.forEach((row, index) => {
    const y = height - BOTTOM - (index + 1) * ROW;
    context.fillStyle = colour(clash.judged[index] ? "ink" : "soft");
    context.textAlign = "right";
    context.fillText(bandName(clash.centres_hz[index] ?? 0), LEFT - 6, y + 13);
    context.fillStyle = colour("card");
    context.fillRect(LEFT, y, width - LEFT - 2, ROW - 1);
    row.forEach((value, frame) => {
      if (value === null) return;
      const over = Math.min(1, Math.max(0, (CLEAR_DB - value) / (CLEAR_DB - BURIED_DB)));
      const x = LEFT + frame * step;
      context.globalAlpha = clash.judged[index] ? 1 : 0.4;
      context.fillStyle = colour(value >= 0 ? "room" : "clash");
      context.globalAlpha *= value >= 0 ? 1 - 0.8 * over : 0.35 + 0.65 * over;
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
  const every = beats > 8 ? 4 : 1;
  for (let beat = 0; beat < beats - 0.01; beat += every) {
    const x = LEFT + (beat / beats) * (width - LEFT - 2);
    context.fillText(`${Math.floor(beat / 4) + 1}.${(beat % 4) + 1}`, x, height - 4);
    context.fillRect(x, 0, 0.6, height - BOTTOM);
  }
}
