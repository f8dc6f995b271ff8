import type { Parameter } from "../queries/parameters";

/** Position of a value on its scale, 0..1. */
export function shareOf(value: number, parameter: Pick<Parameter, "minimum" | "maximum" | "scale">): number {
  const { minimum, maximum, scale } = parameter;
  const kept = Math.min(maximum, Math.max(minimum, value));
  if (scale === "log") return Math.log(kept / minimum) / Math.log(maximum / minimum);
  return (kept - minimum) / (maximum - minimum);
}

/** A number as people type it: with a comma or a point, a minus or a dash; not a number where it is none. */
export function typedNumber(text: string): number {
  const written = text.trim().replace(",", ".").replace("−", "-");
  return written === "" ? Number.NaN : Number(written);
}

/** Value at a position 0..1, rounded to what the figure shows. */
export function valueAt(share: number, parameter: Parameter): number {
  const { minimum, maximum, scale } = parameter;
  const kept = Math.min(1, Math.max(0, share));
  const exact = scale === "log" ? minimum * (maximum / minimum) ** kept : minimum + kept * (maximum - minimum);
  return rounded(exact, parameter);
}

const STEPS_ON_SCALE = 400;

export function rounded(value: number, parameter: Parameter): number {
  const span = parameter.scale === "log" ? value : parameter.maximum - parameter.minimum;
  const grain = 10 ** Math.floor(Math.log10(Math.max(Math.abs(span) / STEPS_ON_SCALE, 1e-3)));
  const kept = Math.min(parameter.maximum, Math.max(parameter.minimum, Math.round(value / grain) * grain));
  return Number(kept.toFixed(4));
}

/** A value one arrow key further: a step, on log scales at least 2 %; fine is a tenth. */
export function stepped(value: number, direction: 1 | -1, fine: boolean, parameter: Parameter): number {
  const size = Math.max(parameter.step, parameter.scale === "log" ? 0.02 * value : 0) * (fine ? 0.1 : 1);
  const moved = value + direction * size;
  return Number(Math.min(parameter.maximum, Math.max(parameter.minimum, moved)).toFixed(4));
}

export interface Tick {
  value: number;
  label: string;
}

const LOG_VALUES = [0.2, 0.5, 1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000, 10000, 20000];
const NOTE_VALUES: [string, number][] = [
  ["1/64", 0.0625],
  ["1/32", 0.125],
  ["1/16", 0.25],
  ["1/8", 0.5],
  ["1/4", 1],
  ["1/2", 2],
];

/** Landmarks by the trade: notes on pitch, note values on time, round figures elsewhere; none closer than 0.13. */
export function ticksOf(parameter: Parameter, marks: { bpm: number; notes?: Tick[] }): Tick[] {
  const { minimum, maximum, unit, scale } = parameter;
  let all: Tick[];
  if (marks.notes) all = marks.notes;
  else if (unit === "ms" && scale === "log" && maximum > 60) {
    all = NOTE_VALUES.map(([label, beats]) => ({ label, value: (beats * 60000) / marks.bpm }));
  } else if (scale === "log") all = LOG_VALUES.map((value) => ({ value, label: short(value) }));
  else all = linearTicks(minimum, maximum);
  const kept: Tick[] = [];
  for (const tick of all) {
    if (tick.value < minimum || tick.value > maximum) continue;
    const place = shareOf(tick.value, parameter);
    if (kept.every((other) => Math.abs(shareOf(other.value, parameter) - place) > 0.13)) kept.push(tick);
  }
  return kept;
}

function linearTicks(low: number, high: number): Tick[] {
  const span = high - low;
  const grain = 10 ** Math.floor(Math.log10(span / 4));
  const step = [1, 2, 2.5, 5, 10].map((k) => k * grain).find((s) => span / s <= 5) ?? span;
  const ticks: Tick[] = [];
  for (let value = Math.ceil(low / step) * step; value <= high + 1e-9; value += step) {
    ticks.push({ value: Number(value.toFixed(6)), label: short(Number(value.toFixed(6))) });
  }
  return ticks;
}

const short = (value: number) => minus(value >= 1000 ? `${value / 1000}k` : String(value));

/** A minus is a minus. */
export const minus = (text: string) => text.replace(/^-/, "−");
