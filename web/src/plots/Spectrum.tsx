import { figure } from "../controls/figures";
import { useWidth } from "./useWidth";

interface Props {
  centresHz: number[];
  zones: { name: string; from_hz: number }[];
  sum: number[];
  layer: { name: string; bandsDb: number[] } | null;
}

const HEIGHT = 70;
const FOOT = 14;
const LOWEST_DB = -48;
const HALF_BAND = 10 ** 0.05;

/** Third-octave levels of the sum and of the selected layer, each against its own strongest, over the zones. */
export function Spectrum({ centresHz, zones, sum, layer }: Props) {
  const [follow, width] = useWidth(600);
  const low = (centresHz[0] ?? 20) / HALF_BAND;
  const high = (centresHz.at(-1) ?? 16000) * HALF_BAND;
  const x = (hz: number) => (Math.log(Math.min(high, Math.max(low, hz)) / low) / Math.log(high / low)) * width;
  const y = (db: number) => (Math.max(LOWEST_DB, db) / LOWEST_DB) * (HEIGHT - FOOT);
  const strongest = (bands: number[]) => centresHz[bands.indexOf(Math.max(...bands))];
  const text = `Spectrum: sum strongest at ${figure(strongest(sum), "Hz")}${
    layer ? `, ${layer.name} at ${figure(strongest(layer.bandsDb), "Hz")}` : ""
  }`;
  return (
    <div ref={follow} className="spectrum">
      <svg width={width} height={HEIGHT} role="img" aria-label={text}>
        {zones.map(({ name, from_hz }, i) => {
          const left = x(from_hz);
          const right = i + 1 < zones.length ? x(zones[i + 1]?.from_hz ?? high) : width;
          return right - left < 1 ? null : (
            <g key={name}>
              <rect
                x={left}
                y={0}
                width={right - left}
                height={HEIGHT - FOOT}
                fill={i % 2 ? "var(--band)" : "var(--card)"}
              />
              <text x={(left + right) / 2} y={HEIGHT - 2} textAnchor="middle">
                {i === 0 ? "" : name}
              </text>
            </g>
          );
        })}
        {sum.map((db, i) => {
          const hz = centresHz[i] ?? 0;
          const left = x(hz / HALF_BAND);
          const size = HEIGHT - FOOT - y(db);
          return (
            <rect
              key={hz}
              x={left}
              y={y(db)}
              width={Math.max(1, x(hz * HALF_BAND) - left - 1)}
              height={Math.max(0, size)}
              fill="var(--soft)"
              opacity={0.55}
            />
          );
        })}
        {layer && (
          <path
            d={`M${layer.bandsDb.map((db, i) => `${x(centresHz[i] ?? 0).toFixed(1)} ${y(db).toFixed(1)}`).join("L")}`}
            fill="none"
            stroke="var(--kick)"
            strokeWidth={2}
          />
        )}
      </svg>
    </div>
  );
}
