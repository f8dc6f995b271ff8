import type { Processor } from "../../api/types";

export type Kind = Processor["kind"];

export const PROCESSORS: { kind: Kind; model: string; name: string; help: string }[] = [
  { kind: "eq", model: "Equalizer", name: "EQ", help: "One bell, shelf or pass" },
  { kind: "drive", model: "Saturate", name: "Drive", help: "Four curves, of all of it or of one band" },
  { kind: "transient", model: "Transient", name: "Transient", help: "Attack and sustain apart" },
  { kind: "compressor", model: "Compressor", name: "Compressor", help: "Soft knee; times are 63 % constants" },
  { kind: "drawn", model: "Drawn", name: "Drawn envelope", help: "Points of time and level" },
  { kind: "reverb", model: "Reverb", name: "Reverb", help: "Short and dense, cut below" },
  { kind: "delay", model: "Delay", name: "Delay", help: "Echoes in note values, cut below" },
  { kind: "gate", model: "Gate", name: "Gate", help: "Open and shut by a pattern" },
  { kind: "reverse", model: "Reverse", name: "Reverse", help: "Backwards" },
  { kind: "width", model: "Width", name: "Width", help: "One side a little later" },
  { kind: "clip", model: "Clip", name: "Soft clip", help: "Untouched below half, never above the ceiling" },
  { kind: "limiter", model: "Limit", name: "Limiter", help: "No true peak above the ceiling" },
];

/** A processor with every setting as the model has it. */
export function newProcessor(kind: Kind, definition: Record<string, { default?: unknown }>): Processor {
  const set = Object.entries(definition).flatMap(([name, one]) =>
    one.default === undefined ? [] : [[name, one.default] as const],
  );
  return { ...Object.fromEntries(set), kind } as Processor;
}
