import type { CarvePicture, View } from "../api/types";
import { bandName, figure } from "../controls/figures";
import { useWidth } from "./useWidth";

type Band = View["report"]["clearance"]["bands"][number];

const ROW = 18;
const LEFT = 40;
const RIGHT = 46;
const BOTTOM = 16;
const LOW_DB = -20;
const HIGH_DB = 30;
/** Less is drawn as nothing short. */
const LEAST_SHOWN_DB = 0.05;

interface Props {
  bands: Band[];
  carve: CarvePicture;
}

/** Kick over bass in each band, before (ring) and now (dot), against the goal. */
export function ClearanceBars({ bands, carve }: Props) {
  const [follow, width] = useWidth(320);
  const height = bands.length * ROW + BOTTOM;
  const x = (db: number) =>
    LEFT + ((Math.min(HIGH_DB, Math.max(LOW_DB, db)) - LOW_DB) / (HIGH_DB - LOW_DB)) * (width - LEFT - RIGHT);
  const isShort = (band: Band) => (band.short_db ?? 0) > LEAST_SHOWN_DB;
  const judged = bands.filter((band) => band.judged);
  // The bands' rows are a frequency axis: the carve's response stands beside what it clears.
  const lowest = bands[0]?.centre_hz ?? 25;
  const y = (hz: number) => height - BOTTOM - ROW / 2 - 10 * Math.log10(hz / lowest) * ROW;
  const response = carve.frequency_hz
    .map((hz, i) => ({ hz, db: carve.sum_db[i] ?? 0 }))
    .filter((point) => y(point.hz) > 0 && y(point.hz) < height - BOTTOM)
    .map((point) => `${x(point.db).toFixed(1)} ${y(point.hz).toFixed(1)}`);
  const carved = carve.sum_db.some((db) => Math.abs(db) > 0.05);
  return (
    <div ref={follow}>
      <div className="bench-head">
        <h3>Clearance by band</h3>
      </div>
      <div className="small soft">
        Hz; kick over bass, dB: ○ before ● now, <strong className="ink">┃ goal</strong>
        {carved && <span className="room-text"> ┊ carve</span>}
      </div>
      <svg
        width={width}
        height={height}
        role="img"
        aria-label={`Clearance: ${judged.map((band) => `${bandName(band.centre_hz)} Hz ${figure(band.after_db, "dB")}${isShort(band) ? `, short by ${figure(band.short_db, "dB")}` : ""}`).join(", ")}`}
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
        {bands.map((band, row) => {
          // One line where all have one goal; by zones a step between them.
          const top = height - BOTTOM - (row + 1) * ROW;
          const place = x(band.goal_db);
          return (
            <line
              key={band.centre_hz}
              x1={place}
              x2={place}
              y1={top}
              y2={top + ROW}
              stroke="var(--ink)"
              strokeWidth={3}
            />
          );
        })}
        {carved && (
          <path d={`M${response.join("L")}`} fill="none" stroke="var(--room)" strokeWidth={2} strokeDasharray="4 2" />
        )}
        {bands.map((band, row) => {
          const place = height - BOTTOM - row * ROW - ROW / 2;
          const { before_db: before, after_db: after } = band;
          return (
            <g key={band.centre_hz} opacity={band.judged ? 1 : 0.45}>
              <text x={LEFT - 6} y={place + 3.5} textAnchor="end" className={band.judged ? "strong" : ""}>
                {bandName(band.centre_hz)}
              </text>
              {before !== null && after !== null && (
                <>
                  <line x1={x(before)} x2={x(after)} y1={place} y2={place} stroke="var(--room)" strokeWidth={3} />
                  <circle cx={x(before)} cy={place} r={4} fill="var(--paper)" stroke="var(--ink)" strokeWidth={1.4} />
                  <circle cx={x(after)} cy={place} r={4.5} fill="var(--ink)" />
                  {band.judged && (
                    <text
                      x={width - 2}
                      y={place + 3.5}
                      textAnchor="end"
                      fill={isShort(band) ? "var(--clash)" : undefined}
                    >
                      {isShort(band) ? figure(band.short_db, "dB") : "✓"}
                    </text>
                  )}
                </>
              )}
            </g>
          );
        })}
      </svg>
    </div>
  );
}
