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
