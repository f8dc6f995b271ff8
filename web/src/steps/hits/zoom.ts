import type { Shown } from "../../api/client";

interface Axis {
  start_ms: number;
  span_ms: number;
  whole_ms: number;
}

const LEAST_MS = 2;

/** The time axis closer or wider around one place of it; null where that is the whole hit again. */
export function zoomed(axis: Axis, share: number, factor: number): Shown | null {
  const span_ms = Math.max(LEAST_MS, axis.span_ms * factor);
  if (span_ms >= axis.whole_ms) return null;
  const from_ms = axis.start_ms + share * (axis.span_ms - span_ms);
  return { from_ms: Math.max(-200, Math.round(100 * from_ms) / 100), span_ms: Math.round(100 * span_ms) / 100 };
}

const EARLIEST_MS = -50;
const LATEST_MS = 200;

/** A start on the grid of samples, inside what a layer's start may be. */
export function onSample(ms: number, sampleRate: number): number {
  const kept = Math.min(LATEST_MS, Math.max(EARLIEST_MS, ms));
  return Number(((Math.round((kept * sampleRate) / 1000) * 1000) / sampleRate).toFixed(4));
}
