import type { Track } from "../../api/types";

export type Low = Track["low_group"];

/** The group with a part more, behind the others, or without it and what was said of it. */
export const withPart = (low: Low, part: string, on: boolean): Low => ({
  parts: on ? [...low.parts, part] : low.parts.filter((one) => one !== part),
  yields: low.yields.filter((one) => on || (one.owner !== part && one.yielder !== part)),
});

/** The group with a part one place earlier: it has the room of the one that it passes. */
export function earlier(low: Low, part: string): Low {
  const at = low.parts.indexOf(part);
  if (at <= 0) return low;
  const parts = [...low.parts];
  parts.splice(at - 1, 2, part, parts[at - 1] as string);
  return { ...low, parts };
}
