import { KICK } from "../../api/parts";
import type { BassNote, Part, Stroke, Track } from "../../api/types";
import { BAR_BEATS as BAR } from "../../plots/axis";
import { FULL_STRENGTH, strokeAt } from "../hits/pads";
import { kept } from "./grid";

const USUAL = 100;

/** Bars that were copied: what each part had in them, from the first on. */
export interface Clip {
  bars: number;
  parts: { id: string; strokes: Stroke[]; notes: BassNote[] }[];
}

/** Bars by number, the first and the last that belong. */
export interface Bars {
  first: number;
  last: number;
}

const within =
  ({ first, last }: Bars) =>
  ({ at_beats }: { at_beats: number }) =>
    at_beats >= (first - 1) * BAR && at_beats < last * BAR;
const by = <T extends { at_beats: number }>(all: T[], beats: number): T[] =>
  all.map((one) => ({ ...one, at_beats: one.at_beats + beats }));
/** A null row is every row. */
const meant = (row: string | null) => (one: Part | { id: string }) => row === null || one.id === row;
const inOrder = <T extends { at_beats: number }>(all: T[]): T[] => [...all].sort((a, b) => a.at_beats - b.at_beats);

export function copied(track: Track, bars: Bars, row: string | null): Clip {
  const start = (bars.first - 1) * BAR;
  return {
    bars: bars.last - bars.first + 1,
    parts: track.parts.filter(meant(row)).map((one) => ({
      id: one.id,
      strokes: by(one.strokes.filter(within(bars)), -start),
      notes: by(one.notes.filter(within(bars)), -start),
    })),
  };
}

/** The track with copied bars from a bar on, in place of what their rows had there; what reaches past the loop is left out. */
export function pasted(track: Track, clip: Clip, bar: number): Track {
  const end = track.sheet.bars * BAR;
  const target = { first: bar, last: Math.min(track.sheet.bars, bar + clip.bars - 1) };
  const fits = ({ at_beats }: { at_beats: number }) => at_beats < end;
  return {
    ...track,
    parts: track.parts.map((one) => {
      const from = clip.parts.find(({ id }) => id === one.id);
      if (!from) return one;
      const outside = <T extends { at_beats: number }>(all: T[]) => all.filter((each) => !within(target)(each));
      return {
        ...one,
        strokes: inOrder([...outside(one.strokes), ...by(from.strokes, (bar - 1) * BAR).filter(fits)]),
        notes: inOrder([
          ...outside(one.notes),
          ...by(from.notes, (bar - 1) * BAR)
            .filter(fits)
            .map((note) => kept(note, end)),
        ]),
      };
    }),
  };
}

/** The track with some bars again and again to its end. */
export function repeated(track: Track, bars: Bars, row: string | null): Track {
  const clip = copied(track, bars, row);
  let made = track;
  for (let bar = bars.last + 1; bar <= track.sheet.bars; bar += clip.bars) made = pasted(made, clip, bar);
  return made;
}

export function cleared(track: Track, bars: Bars, row: string | null): Track {
  const rest = <T extends { at_beats: number }>(all: T[]) => all.filter((one) => !within(bars)(one));
  return {
    ...track,
    parts: track.parts.map((one) =>
      meant(row)(one) ? { ...one, strokes: rest(one.strokes), notes: rest(one.notes) } : one,
    ),
  };
}

/** Fills of a row: the first stroke of a bar's first beat, and how far the next is, beats. */
export const FILLS: { name: string; from: number; every: number }[] = [
  { name: "Every beat", from: 0, every: 1 },
  { name: "Off-beats", from: 0.5, every: 1 },
  { name: "Eighths", from: 0, every: 0.5 },
  { name: "Sixteenths", from: 0, every: 0.25 },
];

/** The track with a row filled in some bars, in place of what it had there. */
export function filledRow(track: Track, row: string, bars: Bars, fill: { from: number; every: number }): Track {
  const [start, end] = [(bars.first - 1) * BAR, bars.last * BAR];
  const count = Math.round((end - start) / fill.every);
  const made = Array.from({ length: count }, (_, i) => start + fill.from + i * fill.every);
  const emptied = cleared(track, bars, row);
  return {
    ...emptied,
    parts: emptied.parts.map((one) =>
      one.id === row
        ? {
            ...one,
            strokes: inOrder([
              ...one.strokes,
              ...made.filter((at) => at < end).map((at) => strokeAt(at, row === KICK ? FULL_STRENGTH : USUAL)),
            ]),
          }
        : one,
    ),
  };
}
