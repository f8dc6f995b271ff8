import type { Ribbon } from "../api/types";

/** A box in px with scales: beats to x, Hz (log) to y. */
export interface StripBox {
  width: number;
  height: number;
  left: number;
  top: number;
  bottom: number;
  beats: number;
  lowHz: number;
  highHz: number;
}

const RIGHT = 8;
/** Level at which a ribbon is gone, and its thickness at 0 dB. */
const FADED_DB = -30;
const THICKEST_PX = 8;

export const xOf = (box: StripBox, beats: number) => box.left + (beats / box.beats) * (box.width - box.left - RIGHT);

export function yOf(box: StripBox, hz: number): number {
  const kept = Math.min(box.highHz, Math.max(box.lowHz, hz));
  const share = Math.log(kept / box.lowHz) / Math.log(box.highHz / box.lowHz);
  return box.height - box.bottom - share * (box.height - box.top - box.bottom);
}

/** Thickness in px for a level in dB re the loudest low part. */
export function thickness(levelDb: number, scale = 1): number {
  return levelDb <= FADED_DB ? 0 : Math.max(0.6, THICKEST_PX * scale * (1 - levelDb / FADED_DB) ** 1.2);
}

/** Outline of a ribbon: there along its upper edge, back along its lower one. Past the loop's end it is cut. */
export function ribbonPath(ribbon: Ribbon, box: StripBox, scale = 1): string {
  const above: string[] = [];
  const below: string[] = [];
  for (let i = 0; i < ribbon.time_beats.length; i++) {
    const beats = ribbon.time_beats[i] as number;
    const hz = ribbon.pitch_hz[i] as number;
    if (beats > box.beats || beats < 0 || hz > box.highHz) continue;
    const half = thickness(ribbon.level_db[i] as number, scale) / 2;
    if (half === 0 && above.length === 0) continue;
    const x = xOf(box, beats).toFixed(1);
    const y = yOf(box, hz);
    above.push(`${x} ${(y - half).toFixed(1)}`);
    below.push(`${x} ${(y + half).toFixed(1)}`);
  }
  return above.length > 1 ? `M${above.join("L")}L${below.reverse().join("L")}Z` : "";
}
