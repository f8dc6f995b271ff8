import type { Variation } from "../../api/types";

type Features = Variation["small"]["features"];
type Measured = keyof Pick<Features, "length_ms" | "brightness_hz" | "sub_db" | "landing_hz">;

export type SortBy = "rolled" | "away" | "liked" | Measured;

export const SORTS: { value: SortBy; label: string }[] = [
  { value: "rolled", label: "as rolled" },
  { value: "away", label: "nearness to the hit" },
  { value: "length_ms", label: "length" },
  { value: "brightness_hz", label: "brightness" },
  { value: "sub_db", label: "low end" },
  { value: "landing_hz", label: "landing" },
];

/** Where one of them is liked. */
export const LIKED: { value: SortBy; label: string } = { value: "liked", label: "nearness to the liked" };

/** Variations by one measured feature, least first; what has none comes last. fromLiked: distances from the liked one. */
export function sorted(all: Variation[], by: SortBy, fromLiked?: (number | null)[]): Variation[] {
  if (by === "rolled" || (by === "liked" && !fromLiked)) return all;
  const figure = (one: Variation) => {
    if (by === "away") return one.away_db;
    return by === "liked" ? fromLiked?.[one.index] : one.small.features[by];
  };
  const of = (one: Variation) => figure(one) ?? Number.POSITIVE_INFINITY;
  return [...all].sort((one, other) => of(one) - of(other) || one.index - other.index);
}
