import type { Variation } from "../../api/types";

type Features = Variation["small"]["features"];

export type SortBy = "rolled" | keyof Pick<Features, "length_ms" | "brightness_hz" | "sub_db" | "landing_hz">;

export const SORTS: { value: SortBy; label: string }[] = [
  { value: "rolled", label: "as rolled" },
  { value: "length_ms", label: "length" },
  { value: "brightness_hz", label: "brightness" },
  { value: "sub_db", label: "low end" },
  { value: "landing_hz", label: "landing" },
];

/** Variations by one measured feature, least first; what has none comes last. */
export function sorted(all: Variation[], by: SortBy): Variation[] {
  if (by === "rolled") return all;
  const of = (one: Variation) => one.small.features[by] ?? Number.POSITIVE_INFINITY;
  return [...all].sort((one, other) => of(one) - of(other) || one.index - other.index);
}
