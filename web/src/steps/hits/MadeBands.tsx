import type { Making } from "../../api/types";

const HEIGHT = 110;
const FOOT = 16;
const FLOOR_DB = -60;
const NAMED_HZ = [31.5, 63, 125, 250, 500, 1000, 2000, 4000, 8000];

interface Props {
  bands: Making["bands"];
  width: number;
  role: string;
}

/** Third octaves before and after, over the range that recorded ones have. */
export function MadeBands({ bands, width, role }: Props) {
  const last = Math.max(1, bands.length - 1);
  const x = (at: number) => (width * (at + 0.5)) / (last + 1);
  const y = (db: number) => ((HEIGHT - FOOT) * Math.min(0, Math.max(FLOOR_DB, db))) / FLOOR_DB;
  const line = (value: (band: Making["bands"][number]) => number) =>
    bands.map((band, at) => `${at ? "L" : "M"}${x(at).toFixed(1)} ${y(value(band)).toFixed(1)}`).join("");
  const area = `${line((band) => band.high_db)}${bands
    .map((_, at) => last - at)
    .map((at) => `L${x(at).toFixed(1)} ${y(bands[at]?.low_db ?? FLOOR_DB).toFixed(1)}`)
    .join("")}Z`;
  return (
    <svg
      width={width}
      height={HEIGHT}
      role="img"
      aria-label={`Third octaves before and after, over those of recorded sounds of the role ${role}`}
    >
      <rect width={width} height={HEIGHT - FOOT} fill="var(--band)" />
      <path d={area} fill="var(--line)" opacity={0.9} />
      <path d={line((band) => band.before_db)} fill="none" stroke="var(--kick)" strokeDasharray="3 3" />
      <path d={line((band) => band.after_db)} fill="none" stroke="var(--ink)" strokeWidth={1.5} />
      {NAMED_HZ.map((hz) => {
        const at = bands.findIndex((band) => Math.abs(Math.log2(band.hz / hz)) < 0.1);
        return at < 0 ? null : (
          <text key={hz} x={x(at)} y={HEIGHT - 3} fontSize={11} textAnchor="middle" fill="var(--soft)">
            {hz >= 1000 ? `${hz / 1000} k` : hz}
          </text>
        );
      })}
    </svg>
  );
}
