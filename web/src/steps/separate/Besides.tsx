import type { View } from "../../api/types";
import { figure } from "../../controls/figures";
import { useWidth } from "../../plots/useWidth";
import { useEditor } from "../../queries/editor";

const ROW = 22;
const LEFT = 172;
const RIGHT = 130;

/** What making room changed besides the clearance: two bars against their limits, and what it took and added up to. */
export function Besides({ view }: { view: View }) {
  const { room } = view.report;
  const limits = useEditor().track.limits;
  const [follow, width] = useWidth(840);
  if (!room) return null;
  const { yielder: part } = view.report.carve;
  const rows = [
    { name: "Low against middle", value: room.low_middle_db, unit: "dB", limit: limits.low_middle_db, most: 12 },
    { name: "Notes further apart", value: room.spread_lu, unit: "LU", limit: limits.notes_apart_lu, most: 4 },
    { name: `Taken of the ${part}`, value: room.lost_lu, unit: "LU", limit: limits.carve_loss_lu, most: 8 },
    { name: "Taken of the kick", value: room.kick_lost_lu, unit: "LU", limit: limits.carve_loss_lu, most: 8 },
  ].filter((row) => row.value !== null);
  const middle = LEFT + (width - LEFT - RIGHT) / 2;
  const x = (value: number, most: number) =>
    middle + (Math.max(-most, Math.min(most, value)) / most) * ((width - LEFT - RIGHT) / 2);
  return (
    <section aria-label="What it changed besides">
      <div className="bench-head">
        <h3>What it changed besides</h3>
        <span className="soft">
          the {part} before and carved, un-ducked; sum of kick and bass{" "}
          <span className="mono">{figure(room.summing_before_db, "dB")}</span> of perfect, now{" "}
          <span className="mono">{figure(room.summing_after_db, "dB")}</span>; peak{" "}
          <span className="mono">{figure(room.peak_before_db, "dBFS")}</span>, now{" "}
          <span className="mono">{figure(room.peak_after_db, "dBFS")}</span>
        </span>
      </div>
      <div ref={follow}>
        <svg
          width={width}
          height={rows.length * ROW + 4}
          role="img"
          aria-label={rows.map((row) => `${row.name} ${figure(row.value, row.unit, { sign: true })}`).join(", ")}
        >
          {rows.map((row, index) => {
            const value = row.value ?? 0;
            const over = Math.abs(value) > row.limit && (row.unit === "dB" || value > 0);
            const y = index * ROW + 4;
            const ends = [x(0, row.most), x(value, row.most)].sort((a, b) => a - b) as [number, number];
            return (
              <g key={row.name}>
                <text x={LEFT - 10} y={y + 13} textAnchor="end">
                  {row.name}
                </text>
                <line x1={LEFT} x2={width - RIGHT} y1={y + 9} y2={y + 9} stroke="var(--line)" />
                <rect
                  x={ends[0]}
                  y={y + 4}
                  width={Math.max(1, ends[1] - ends[0])}
                  height={10}
                  fill={over ? "var(--clash)" : "var(--bass)"}
                />
                {[-row.limit, row.limit]
                  .filter((limit) => row.unit === "dB" || limit > 0)
                  .map((limit) => (
                    <line
                      key={limit}
                      x1={x(limit, row.most)}
                      x2={x(limit, row.most)}
                      y1={y + 1}
                      y2={y + 17}
                      stroke="var(--ink)"
                      strokeWidth={2}
                    />
                  ))}
                <line x1={middle} x2={middle} y1={y} y2={y + 18} stroke="var(--soft)" />
                <text x={width - RIGHT + 10} y={y + 13} className="strong" fill={over ? "var(--clash)" : undefined}>
                  {figure(value, row.unit, { sign: true })}
                  {over ? ", over" : ""}
                </text>
              </g>
            );
          })}
        </svg>
      </div>
    </section>
  );
}
