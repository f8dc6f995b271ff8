import { memo } from "react";
import type { LayerPicture } from "../../api/types";
import { wavePath } from "./layers";

interface WaveProps {
  picture: LayerPicture;
  width: number;
  height: number;
  full: number;
  muted: boolean;
}

/** The outline of one waveform; drawn again only when it changes. */
export const WaveShape = memo(function WaveShape({ picture, width, height, full, muted }: WaveProps) {
  return (
    <path
      d={wavePath(picture.low, picture.high, width, height, full)}
      fill={muted ? "var(--soft)" : "var(--kick)"}
      opacity={muted ? 0.4 : 1}
    />
  );
});

interface BandProps {
  picture: LayerPicture;
  width: number;
  height: number;
  label: string;
}

const LOWEST_DB = -48;

/** Third-octave levels of one layer as one shape of bars; drawn again only when they change. */
export const BandShape = memo(function BandShape({ picture, width, height, label }: BandProps) {
  const step = width / picture.bands_db.length;
  const foot = height - 2;
  const bars = picture.bands_db.map((db, i) => {
    const size = Math.max(0, 1 - db / LOWEST_DB) * (height - 6);
    return `M${(i * step).toFixed(1)} ${foot}v${(-size).toFixed(1)}h${(step - 0.8).toFixed(1)}v${size.toFixed(1)}Z`;
  });
  return (
    <svg width={width} height={height} role="img" aria-label={label}>
      <path d={bars.join("")} fill="var(--soft)" />
    </svg>
  );
});

interface GridProps {
  startMs: number;
  spanMs: number;
  width: number;
  height: number;
  /** Its names, which lie over what is pressed, or its lines. */
  labelled: boolean;
}

const GRID_MS = [0.1, 0.5, 1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000];
const MOST_LINES = 14;

const CHARACTER_PX = 7;
const LABEL_GAP_PX = 8;
const label = (ms: number) => String(Number(ms.toFixed(1)));

/** Lines of time behind a waveform, the hit's own start the darkest; drawn again only when the axis changes. */
export const TimeGrid = memo(function TimeGrid({ startMs, spanMs, width, height, labelled }: GridProps) {
  const step = GRID_MS.find((ms) => spanMs / ms <= MOST_LINES) ?? 10000;
  const first = Math.ceil(startMs / step);
  const count = Math.max(0, Math.floor((startMs + spanMs) / step) - first + 1);
  const lines = Array.from({ length: count }, (_, i) => (first + i) * step);
  const x = (ms: number) => ((ms - startMs) / spanMs) * width;
  // As many lines apart as the longest of their labels is wide.
  const longest = Math.max(0, ...lines.map((ms) => label(ms).length));
  const every = Math.max(
    1,
    Math.ceil((longest * CHARACTER_PX + LABEL_GAP_PX) / Math.max(1, (step / spanMs) * width)),
  );
  return (
    <>
      {!labelled &&
        lines.map((ms) => (
          <line
            key={ms}
            x1={x(ms)}
            x2={x(ms)}
            y1={0}
            y2={height}
            stroke={Math.abs(ms) < step / 100 ? "var(--soft)" : "var(--line)"}
          />
        ))}
      {labelled &&
        lines
          .filter((ms, i) => (first + i) % every === 0 && x(ms) + longest * CHARACTER_PX < width)
          .map((ms) => (
            <text key={ms} x={x(ms) + 2} y={9}>
              {label(ms)}
            </text>
          ))}
    </>
  );
});
