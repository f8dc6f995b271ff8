import type { View } from "../api/types";
import { bandName, figure } from "../controls/figures";
import { useWidth } from "./useWidth";

type Band = View["report"]["clearance"]["bands"][number];

const ROW = 19;
const LEFT = 40;
const BOTTOM = 16;
const LOW_DB = -20;
const HIGH_DB = 30;

/** Kick over bass in each band, before (ring) and now (dot), against the goal. */
export function ClearanceBars({ bands, goalDb }: { bands: Band[]; goalDb: number }) {
  const [follow, width] = useWidth(320);
  const height = bands.length * ROW + BOTTOM;
  const x = (db: number) =>
    LEFT + ((Math.min(HIGH_DB, Math.max(LOW_DB, db)) - LOW_DB) / (HIGH_DB - LOW_DB)) * (width - LEFT - 8);
  const judged = bands.filter((band) => band.judged);
  return (
    <div ref={follow}>
      <div className="small soft">
        Clearance by band: ○ before ● now, <span className="kick-text">┃ goal</span>
      </div>
      <svg
        width={width}
        height={height}
        role="img"
        aria-label={`Clearance: ${judged.map((band) => `${bandName(band.centre_hz)} Hz ${figure(band.after_db, "dB")}`).join(", ")}`}
      >
        {[-20, -10, 0, 10, 20, 30].map((db) => (
          <g key={db}>
            <line
              x1={x(db)}
              x2={x(db)}
              y1={0}
              y2={height - BOTTOM}
              stroke={db === 0 ? "var(--soft)" : "var(--line)"}
            />
            <text x={x(db)} y={height - 4} textAnchor="middle">
              {db < 0 ? `−${-db}` : db}
            </text>
          </g>
        ))}
        <line x1={x(goalDb)} x2={x(goalDb)} y1={0} y2={height - BOTTOM} stroke="var(--kick)" strokeWidth={2.5} />
        {bands.map((band, row) => {
          const y = height - BOTTOM - row * ROW - ROW / 2;
          const { before_db: before, after_db: after } = band;
          return (
            <g key={band.centre_hz} opacity={band.judged ? 1 : 0.45}>
              <text x={LEFT - 6} y={y + 3.5} textAnchor="end" className={band.judged ? "strong" : ""}>
                {bandName(band.centre_hz)}
              </text>
              {before !== null && after !== null && (
                <>
                  <line x1={x(before)} x2={x(after)} y1={y} y2={y} stroke="var(--room)" strokeWidth={3} />
                  <circle cx={x(before)} cy={y} r={4} fill="var(--paper)" stroke="var(--ink)" strokeWidth={1.4} />
                  <circle cx={x(after)} cy={y} r={4.5} fill="var(--ink)" />
                </>
              )}
            </g>
          );
        })}
      </svg>
    </div>
  );
}
