import type { Ribbon } from "../api/types";
import { AXIS_RIGHT } from "../plots/axis";

/** A box in px with scales: beats to x, Hz (log) to y. */
export interface StripBox {
  width: number;
  height: number;
  left: number;
  top: number;
  bottom: number;
  /** Beats in sight, and where they begin. */
  beats: number;
  from?: number;
  lowHz: number;
  highHz: number;
}

const RIGHT = AXIS_RIGHT;
/** Level at which a ribbon is gone, and its thickness at 0 dB. */
const FADED_DB = -30;
const THICKEST_PX = 8;
const WIDEST_SIDEWAYS_PX = 1.2;

export const xOf = (box: StripBox, beats: number) =>
  box.left + ((beats - (box.from ?? 0)) / box.beats) * (box.width - box.left - RIGHT);

export function yOf(box: StripBox, hz: number): number {
  const kept = Math.min(box.highHz, Math.max(box.lowHz, hz));
  const share = Math.log(kept / box.lowHz) / Math.log(box.highHz / box.lowHz);
  return box.height - box.bottom - share * (box.height - box.top - box.bottom);
}

/** Thickness in px for a level in dB re the loudest low part. */
export function thickness(levelDb: number, scale = 1): number {
  return levelDb <= FADED_DB ? 0 : Math.max(0.6, THICKEST_PX * scale * (1 - levelDb / FADED_DB) ** 1.2);
}

/** Outline of a ribbon: there along one edge, back along the other, as wide across its own direction as its level says. */
export function ribbonPath(ribbon: Ribbon, box: StripBox, scale = 1, levels = ribbon.level_db): string {
  const from = box.from ?? 0;
  const points: { x: number; y: number; half: number }[] = [];
  for (let i = 0; i < ribbon.time_beats.length; i++) {
    const beats = ribbon.time_beats[i] as number;
    const hz = ribbon.pitch_hz[i] as number;
    // Past the end of what is in sight it is cut.
    if (beats > from + box.beats || beats < from || hz > box.highHz) continue;
    const half = thickness(levels[i] as number, scale) / 2;
    if (half === 0 && points.length === 0) continue;
    points.push({ x: xOf(box, beats), y: yOf(box, hz), half });
  }
  const above: string[] = [];
  const below: string[] = [];
  points.forEach(({ x, y, half }, i) => {
    const before = points[i - 1] ?? { x, y };
    const after = points[i + 1] ?? { x, y };
    const length = Math.hypot(after.x - before.x, after.y - before.y) || 1;
    // Sideways is time: a ribbon that falls stays narrow there, or it would seem to last longer.
    const across = Math.min(half, WIDEST_SIDEWAYS_PX) * ((after.y - before.y) / length);
    const up = (half * (after.x - before.x)) / length;
    above.push(`${(x + across).toFixed(1)} ${(y - up).toFixed(1)}`);
    below.push(`${(x - across).toFixed(1)} ${(y + up).toFixed(1)}`);
  });
  return above.length > 1 ? `M${above.join("L")}L${below.reverse().join("L")}Z` : "";
}
