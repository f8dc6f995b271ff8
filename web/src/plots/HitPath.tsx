import { KICK } from "../api/parts";
import type { HitOnLadder, Ladder } from "../api/types";
import { figure, pretty } from "../controls/figures";
import { wavePath } from "../steps/hits/layers";
import { useWidth } from "./useWidth";

interface Props {
  hit: HitOnLadder;
  rungs: Ladder["rungs"];
}

const HEIGHT = 170;
const LEFT = 44;
const TOP = 6;
const FOOT = 18;
const STEPS_MS = [10, 20, 25, 50, 100, 200, 500];
const MOST_TICKS = 12;

/** Measured pitch over the waveform it was measured on; the notes of the key as rungs; the thicker, the louder. */
export function HitPath({ hit, rungs }: Props) {
  const [follow, width] = useWidth(840);
  const { path, wave } = hit;
  const hz = hit.used_hz ?? hit.landing_hz;
  const span = Math.max(20, wave.span_ms);
  const foot = HEIGHT - FOOT;
  const inside = width - LEFT - 8;
  const x = (ms: number) => LEFT + (Math.max(0, ms) / span) * inside;
  const low = (hz ?? 60) * 0.75;
  const high = Math.max((hz ?? 60) * 1.7, Math.min(Math.max(...(path?.pitch_hz ?? [0])), (hz ?? 60) * 8)) * 1.05;
  const y = (one: number) =>
    TOP + (1 - Math.log(Math.min(high, Math.max(low, one)) / low) / Math.log(high / low)) * (foot - TOP);
  const shown = rungs.filter((rung) => rung.frequency_hz > low && rung.frequency_hz < high);
  const step = STEPS_MS.find((ms) => span / ms <= MOST_TICKS) ?? 1000;
  const ticks = Array.from({ length: Math.floor(span / step) + 1 }, (_, i) => i * step);
  const full = Math.max(1e-4, ...wave.high, ...wave.low.map((value) => -value));
  const text = hz
    ? `Pitch of ${hit.name}: ${figure(path?.pitch_hz[0], "Hz")} at the start, ${figure(hz, "Hz")} where it lands, after ${figure(hit.landed_ms, "ms")}`
    : `Waveform of ${hit.name}, ${figure(wave.span_ms, "ms")}; no pitch was found`;
  return (
    <div ref={follow}>
      <svg width={width} height={HEIGHT} role="img" aria-label={text}>
        <rect x={LEFT} y={TOP} width={inside} height={foot - TOP} fill="var(--card)" stroke="var(--line)" />
        {wave.low.length > 1 && (
          <g transform={`translate(${LEFT} ${TOP})`}>
            <path d={wavePath(wave.low, wave.high, inside, foot - TOP, full)} fill="var(--line)" opacity={0.75} />
          </g>
        )}
        {hz &&
          shown.map((rung, i) => {
            const below = shown[i - 1];
            const clear = !below || y(below.frequency_hz) - y(rung.frequency_hz) > 11;
            return (
              <g key={rung.note}>
                <line
                  x1={LEFT}
                  x2={width - 8}
                  y1={y(rung.frequency_hz)}
                  y2={y(rung.frequency_hz)}
                  stroke={rung.tonic ? "var(--soft)" : "var(--rung)"}
                  strokeWidth={rung.tonic ? 1.2 : 0.6}
                />
                {(rung.tonic || clear) && (
                  <text
                    x={LEFT - 6}
                    y={y(rung.frequency_hz) + 3.5}
                    textAnchor="end"
                    className={rung.tonic ? "strong" : ""}
                  >
                    {pretty(rung.name)}
                  </text>
                )}
              </g>
            );
          })}
        {ticks.map((ms) => (
          <text key={ms} x={x(ms)} y={HEIGHT - 4} textAnchor={ms === 0 ? "start" : "middle"}>
            {ms} ms
          </text>
        ))}
        {path?.time_ms.slice(1).map((ms, i) => (
          <line
            key={ms}
            x1={x(path.time_ms[i] ?? 0)}
            y1={y(path.pitch_hz[i] ?? 0)}
            x2={x(ms)}
            y2={y(path.pitch_hz[i + 1] ?? 0)}
            stroke={hit.id === KICK ? "var(--kick)" : "var(--soft)"}
            strokeLinecap="round"
            strokeWidth={Math.max(0.8, 7 + (path.level_db[i + 1] ?? -40) / 5)}
          />
        ))}
        {hit.landed_ms !== null && (
          <>
            <line
              x1={x(hit.landed_ms)}
              x2={x(hit.landed_ms)}
              y1={TOP}
              y2={foot}
              stroke="var(--ink)"
              strokeDasharray="3 3"
            />
            <text x={x(hit.landed_ms) + 5} y={TOP + 12} className="strong">
              landed {figure(hit.landed_ms, "ms")}
            </text>
          </>
        )}
      </svg>
    </div>
  );
}
