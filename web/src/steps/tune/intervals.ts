import { figure } from "../../controls/figures";

const INTERVALS = [
  ...["unison", "minor second", "second", "minor third", "third", "fourth", "tritone"],
  ...["fifth", "minor sixth", "sixth", "minor seventh", "seventh"],
];
const SEMITONE_CENTS = 100;

/** The interval from a note to the landing in words, how far off it is, and on which side; whole octaves are left out. */
export function intervalOf(cents: number): string {
  const size = Math.abs(cents);
  const semitones = Math.round(size / SEMITONE_CENTS);
  const off = Math.round(size - SEMITONE_CENTS * semitones);
  const name =
    semitones > 0 && semitones % INTERVALS.length === 0 ? "octave" : INTERVALS[semitones % INTERVALS.length];
  const side = semitones === 0 ? "" : cents > 0 ? " above" : " below";
  const signed = semitones === 0 && cents < 0 ? -off : off;
  return `${name}${off ? ` ${figure(signed, "ct", { sign: true })}` : ""}${side}`;
}
