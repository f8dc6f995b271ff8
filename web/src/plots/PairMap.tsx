import { type KeyboardEvent, type PointerEvent, useEffect, useRef, useState } from "react";
import type { PairMap } from "../api/types";
import { bandName, figure, inBars } from "../controls/figures";
import { BOTTOM, type Cell, cellBeside, cellUnder } from "./cells";
import { paint, ROW } from "./clashPaint";
import { Playhead, useTimeAxis } from "./timeAxis";
import { useWidth } from "./useWidth";

interface Props {
  map: PairMap;
  owner: string;
  yielder: string;
}

/** Two parts by band and time: crossed where the one that gives way is over the other; hover or arrow keys read a cell. */
export function PairMapPlot({ map, owner, yielder }: Props) {
  const [follow, width] = useWidth(500);
  const axis = useTimeAxis();
  const canvas = useRef<HTMLCanvasElement>(null);
  const [cell, setCell] = useState<Cell | null>(null);
  const rows = map.over_db;
  const height = rows.length * ROW + BOTTOM;
  const frames = rows[0]?.length ?? 1;
  useEffect(() => {
    const judged = rows.map(() => true);
    const clash = { ...map, judged, before_db: rows, after_db: rows };
    const shown = {
      clash,
      rows,
      layers: undefined,
      layer: "difference",
      side: "after",
      width,
      height,
      cell,
      sight: axis,
    } as const;
    const draw = () => paint(canvas.current, shown);
    draw();
    const watcher = new MutationObserver(draw);
    watcher.observe(document.documentElement, { attributes: true, attributeFilter: ["data-bs-theme"] });
    return () => watcher.disconnect();
  }, [map, rows, width, height, cell, axis]);
  if (rows.length === 0) return null;
  const cells = rows.flat().filter((value) => value !== null);
  const under = cells.filter((value) => value < 0).length;
  const says = `${owner} over ${yielder} by band and time: of ${cells.length} cells ${yielder} is over it in ${under}.`;
  const at = (event: PointerEvent) => cellUnder(event, canvas.current, rows.length, frames, width, map, axis);
  const key = (event: KeyboardEvent) => {
    const next = cellBeside(event, cell ?? { row: 0, frame: 0 }, rows.length, frames);
    if (!next) return;
    setCell(next);
    event.preventDefault();
    event.stopPropagation();
  };
  const value = cell ? (rows[cell.row]?.[cell.frame] ?? null) : null;
  return (
    <div ref={follow} className="mt-2">
      <button
        type="button"
        className="bare"
        aria-label={`${says} Arrow keys read cells.`}
        onPointerMove={(event) => setCell(at(event))}
        onPointerLeave={() => setCell(null)}
        onKeyDown={key}
      >
        <canvas ref={canvas} role="img" aria-label={says} style={{ width, height }} />
        <Playhead width={width} top={0} height={height - BOTTOM} />
      </button>
      <div className="mono" role="status" style={{ minHeight: 20, fontSize: 11 }}>
        {cell ? (
          `${bandName(map.centres_hz[cell.row] ?? 0)} Hz, ${inBars(cell.frame * map.frame_beats)}: ${
            value === null
              ? `${owner} is not there`
              : `${owner} ${figure(Math.abs(value), "dB")} ${value >= 0 ? "over" : "under"} ${yielder}`
          }`
        ) : (
          <>
            <span className="room-text">■ {owner} clear</span>{" "}
            <span className="clash-text">
              ╱ {yielder} over {owner}
            </span>
          </>
        )}
      </div>
    </div>
  );
}
