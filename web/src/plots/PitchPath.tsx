import type { PathPicture } from "../api/types";
import { figure, pretty } from "../controls/figures";
import { useWidth } from "./useWidth";

interface Props {
  path: PathPicture;
  landingHz: number;
  rungs: { note: number; name: string; frequency_hz: number; tonic: boolean }[];
}

const HEIGHT = 200;
const LEFT = 40;
const BOTTOM = 18;

/** Measured pitch over time; the notes of the key as rungs; the thicker, the louder. */
export function PitchPath({ path, landingHz, rungs }: Props) {
  const [follow, width] = useWidth(840);
  const last = path.time_ms.at(-1) ?? 1;
  const low = landingHz * 0.8;
  const high = Math.max(landingHz * 1.6, Math.min(Math.max(...path.pitch_hz), landingHz * 8)) * 1.05;
  const x = (ms: number) => LEFT + (Math.max(0, ms) / last) * (width - LEFT - 8);
  const y = (hz: number) =>
    6 + (1 - Math.log(Math.min(high, Math.max(low, hz)) / low) / Math.log(high / low)) * (HEIGHT - BOTTOM - 6);
  const shown = rungs.filter((rung) => rung.frequency_hz > low && rung.frequency_hz < high);
  const labelled = shown.filter(
    (rung, i) => rung.tonic || i === 0 || y((shown[i - 1] as typeof rung).frequency_hz) - y(rung.frequency_hz) > 12,
  );
  const step = last > 600 ? 200 : last > 250 ? 50 : 25;
  const ticks = Array.from({ length: Math.floor(last / step) + 1 }, (_, i) => i * step);
  return (
    <div ref={follow}>
      <svg
        width={width}
        height={HEIGHT}
        role="img"
        aria-label={`Pitch path: from ${figure(path.pitch_hz[0], "Hz")} to ${figure(landingHz, "Hz")}, landed after ${figure(path.landed_ms, "ms")}`}
      >
        <rect
          x={LEFT}
          y={6}
          width={width - LEFT - 8}
          height={HEIGHT - BOTTOM - 6}
          fill="var(--card)"
          stroke="var(--line)"
        />
        {shown.map((rung) => (
          <line
            key={rung.note}
            x1={LEFT}
            x2={width - 8}
            y1={y(rung.frequency_hz)}
            y2={y(rung.frequency_hz)}
            stroke={rung.tonic ? "var(--soft)" : "var(--rung)"}
            strokeWidth={rung.tonic ? 1.2 : 0.6}
          />
        ))}
        {labelled.map((rung) => (
          <text
            key={rung.note}
            x={LEFT - 5}
            y={y(rung.frequency_hz) + 3.5}
            textAnchor="end"
            className={rung.tonic ? "strong" : ""}
          >
            {pretty(rung.name)}
          </text>
        ))}
        {ticks.map((ms) => (
          <text key={ms} x={x(ms)} y={HEIGHT - 4} textAnchor="middle">
            {ms} ms
          </text>
        ))}
        {path.time_ms.slice(1).map((ms, i) => {
          const level = path.level_db[i + 1] ?? -60;
          return (
            <line
              key={ms}
              x1={x(path.time_ms[i] ?? 0)}
              y1={y(path.pitch_hz[i] ?? landingHz)}
              x2={x(ms)}
              y2={y(path.pitch_hz[i + 1] ?? landingHz)}
              stroke="var(--kick)"
              strokeLinecap="round"
              strokeWidth={Math.max(0.8, 7 + level / 5)}
            />
          );
        })}
        <line
          x1={x(path.landed_ms)}
          x2={x(path.landed_ms)}
          y1={6}
          y2={HEIGHT - BOTTOM}
          stroke="var(--ink)"
          strokeDasharray="3 3"
        />
        <text x={x(path.landed_ms) + 5} y={18} className="strong">
          landed {figure(path.landed_ms, "ms")}
        </text>
      </svg>
    </div>
  );
}
