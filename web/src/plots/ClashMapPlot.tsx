import { type KeyboardEvent, type PointerEvent, useEffect, useRef, useState } from "react";
import type { ClashLayers, ClashMap } from "../api/types";
import { bandName, figure } from "../controls/figures";
import { BOTTOM, type Cell, cellBeside, cellUnder } from "./cells";
import { type ClashLayer, layerRows, paint, ROW } from "./clashPaint";
import { Playhead, useTimeAxis } from "./timeAxis";
import { useWidth } from "./useWidth";

interface Props {
  clash: ClashMap;
  layers: ClashLayers | undefined;
  layer: ClashLayer;
  side: "before" | "after";
  onLayer: (layer: ClashLayer) => void;
  onHear: (cell: Cell) => void;
}

const LAYERS: { id: ClashLayer; name: string }[] = [
  { id: "difference", name: "difference" },
  { id: "winner", name: "who wins" },
  { id: "kick", name: "kick" },
  { id: "bass", name: "bass" },
];

/** Bands by time: the difference, the winner, or one part's own level; hover or arrow keys read a cell, a click plays it. */
export function ClashMapPlot({ clash, layers, layer, side, onLayer, onHear }: Props) {
  const [follow, width] = useWidth(500);
  const axis = useTimeAxis();
  const canvas = useRef<HTMLCanvasElement>(null);
  const [cell, setCell] = useState<Cell | null>(null);
  const rows = side === "before" ? clash.before_db : clash.after_db;
  const height = rows.length * ROW + BOTTOM;
  const frames = rows[0]?.length ?? 1;
  useEffect(() => {
    const draw = () => paint(canvas.current, { clash, rows, layers, layer, side, width, height, cell, sight: axis });
    draw();
    const watcher = new MutationObserver(draw);
    watcher.observe(document.documentElement, { attributes: true, attributeFilter: ["data-bs-theme"] });
    return () => watcher.disconnect();
  }, [clash, rows, layers, layer, side, width, height, cell, axis]);
  const judged = rows.filter((_, row) => clash.judged[row]);
  const cells = judged.flat().filter((value) => value !== null);
  const under = cells.filter((value) => value < 0).length;
  const says = `Clash map ${side}: of ${cells.length} judged cells the bass is over the kick in ${under}.`;
  const at = (event: PointerEvent) => cellUnder(event, canvas.current, rows.length, frames, width, clash, axis);
  const key = (event: KeyboardEvent) => {
    const now = cell ?? { row: Math.max(0, clash.judged.indexOf(true)), frame: 0 };
    const next = cellBeside(event, now, rows.length, frames);
    if (next) setCell(next);
    else if (event.key === "Enter") onHear(now);
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <div ref={follow}>
      <div className="d-flex gap-2 align-items-baseline small soft" style={{ minHeight: 28 }}>
        <span>Clash, {side}</span>
        <span className="btn-group" role="group" aria-label="What the map shows">
          {LAYERS.map((one) => (
            <button
              key={one.id}
              type="button"
              className="btn btn-plain layer-pick"
              aria-pressed={one.id === layer}
              onClick={() => onLayer(one.id)}
            >
              {one.name}
            </button>
          ))}
        </span>
        <div className="mono ms-auto clash-said" role="status">
          {cell ? read(clash, rows, layers, side, cell) : <Legend layer={layer} />}
        </div>
      </div>
      <button
        type="button"
        className="bare"
        aria-label={`${says} Arrow keys read cells, Enter plays one.`}
        onPointerMove={(event) => setCell(at(event))}
        onPointerLeave={() => setCell(null)}
        onClick={() => cell && onHear(cell)}
        onKeyDown={key}
      >
        <canvas ref={canvas} role="img" aria-label={says} style={{ width, height }} />
        <Playhead width={width} top={0} height={height - BOTTOM} />
      </button>
    </div>
  );
}

function Legend({ layer }: { layer: ClashLayer }) {
  if (layer === "kick" || layer === "bass") {
    return <span className="soft">the darker, the louder; the palest is 40 dB under the loudest</span>;
  }
  return (
    <>
      <span className="room-text">■ kick {layer === "winner" ? "wins" : "clear"}</span>{" "}
      <span className="clash-text">╱ bass over the kick</span> <span className="soft">click a cell to hear it</span>
    </>
  );
}

function read(
  clash: ClashMap,
  rows: (number | null)[][],
  layers: ClashLayers | undefined,
  side: "before" | "after",
  { row, frame }: Cell,
): string {
  const beat = frame * clash.frame_beats;
  const place = `${Math.floor(beat / 4) + 1}.${(Math.floor(beat) % 4) + 1}${(beat % 1).toFixed(2).slice(1)}`;
  const ahead = rows[row]?.[frame] ?? null;
  const parts = layers && [layerRows(layers, "kick", side), layerRows(layers, "bass", side)];
  const whole = (level: number | undefined) =>
    figure(level === undefined ? null : Math.round(level), "dB").replace(".0 dB", "");
  const levels = parts ? ` (${whole(parts[0]?.[row]?.[frame])} and ${whole(parts[1]?.[row]?.[frame])})` : "";
  const over =
    ahead === null
      ? "no kick to judge"
      : `kick ${figure(Math.abs(ahead), "dB")} ${ahead >= 0 ? "over" : "under"} the bass`;
  return `${bandName(clash.centres_hz[row] ?? 0)} Hz, ${place}: ${over}${levels}${clash.judged[row] ? "" : ", not judged"}`;
}
