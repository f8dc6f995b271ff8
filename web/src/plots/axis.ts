export const BAR_BEATS = 4;

/** Every picture of time begins and ends here, px from its sides: one playhead falls through all of them. */
export const AXIS_LEFT = 68;
export const AXIS_RIGHT = 8;

/** The beats in sight. */
export interface Sight {
  from: number;
  to: number;
}

/** From beats to px in a picture of a width, and back. */
export const axisX = (axis: Sight, width: number) => (at: number) =>
  AXIS_LEFT + ((at - axis.from) / (axis.to - axis.from)) * (width - AXIS_LEFT - AXIS_RIGHT);
export const axisBeat = (axis: Sight, width: number) => (px: number) =>
  axis.from + ((px - AXIS_LEFT) / (width - AXIS_LEFT - AXIS_RIGHT)) * (axis.to - axis.from);

/** A place in the loop as it is drawn: bar and beat, and what of a beat lies past it. */
export function barBeat(beats: number): string {
  const within = beats % BAR_BEATS;
  const part = within % 1;
  return `${Math.floor(beats / BAR_BEATS) + 1}.${Math.floor(within) + 1}${part < 0.005 ? "" : part.toFixed(2).slice(1).replace(/0$/, "")}`;
}
