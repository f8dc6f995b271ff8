const NAMES = ["1/1", "1/2", "1/4", "1/8", "1/16", "1/32", "1/64"];
const FORMS: [string, number][] = [
  ["", 1],
  [" dotted", 1.5],
  [" triplet", 2 / 3],
];
/** A time this near to a note value is called by its name. */
const NEAR_SHARE = 0.02;
/** Snapping goes to 1/64 notes and to 1/32 triplets, in beats. */
const GRIDS = [1 / 16, 1 / 12];

const VALUES = NAMES.flatMap((name, i) =>
  FORMS.map(([form, share]) => ({ name: name + form, beats: (4 / 2 ** i) * share })),
);

/** The note value a time is within 2 % of, or null. */
export function noteValue(beats: number): string | null {
  const size = Math.abs(beats);
  return VALUES.find((one) => Math.abs(one.beats - size) <= NEAR_SHARE * one.beats)?.name ?? null;
}

/** The nearest note value, with what is missing to it in percent where it is not that. */
export function nearestValue(beats: number): string {
  const off = (one: { beats: number }) => Math.abs(Math.log(one.beats / beats));
  const near = VALUES.reduce((one, other) => (off(other) < off(one) ? other : one));
  const share = Math.round(100 * (beats / near.beats - 1));
  return Math.abs(share) <= 100 * NEAR_SHARE
    ? near.name
    : `${near.name} ${share > 0 ? "+" : "−"}${Math.abs(share)} %`;
}

/** A time in beats moved to the nearest note value's place. */
export function snapped(beats: number): number {
  const places = GRIDS.map((grid) => Math.round(beats / grid) * grid);
  return places.reduce((one, other) => (Math.abs(other - beats) < Math.abs(one - beats) ? other : one));
}
