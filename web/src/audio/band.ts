/** Which part of the spectrum is heard. */
export type Band = "all" | "low" | "middle" | "top";

/** The low end is judged below this (common practice), and it can be moved. */
export const LOW_END_HZ = 300;
export const LOWEST_END_HZ = 80;
export const HIGHEST_END_HZ = 600;
const TOP_HZ = 4000;
/** Filters that let everything through stand here. */
const OPEN_LOW_HZ = 5;
const OPEN_SHARE = 0.49;

/** From where to where a part of the spectrum goes, Hz. */
export function edgesOf(band: Band, lowHz: number, rate: number): [number, number] {
  const open = rate * OPEN_SHARE;
  const edges: Record<Band, [number, number]> = {
    all: [OPEN_LOW_HZ, open],
    low: [OPEN_LOW_HZ, lowHz],
    middle: [lowHz, TOP_HZ],
    top: [TOP_HZ, open],
  };
  return edges[band];
}

/** What a part of the spectrum is called. */
export const bandName = (band: Band): string =>
  ({ all: "All of it", low: "Low end", middle: "Middle", top: "Top" })[band];

/** What is heard, in words. */
export function bandSaid(band: Band, lowHz: number): string {
  if (band === "low") return `Low end, below ${Math.round(lowHz)} Hz`;
  if (band === "middle") return `Middle, ${Math.round(lowHz)} Hz to 4 kHz`;
  return band === "top" ? "Top, from 4 kHz" : "All of it";
}
