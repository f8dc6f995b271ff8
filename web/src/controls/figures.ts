import { minus } from "./scale";

/** The right number of digits: cents whole, ms one decimal under 100, dB one decimal. */
export function figure(value: number | null | undefined, unit: string, options: { sign?: boolean } = {}): string {
  if (value === null || value === undefined || !Number.isFinite(value)) return "–";
  const digits = digitsOf(value, unit);
  const text = value.toFixed(digits);
  const clean = Number(text) === 0 ? (0).toFixed(digits) : text;
  const signed = options.sign && value > 0 && Number(text) !== 0 ? `+${clean}` : minus(clean);
  return unit ? `${signed} ${unit}` : signed;
}

function digitsOf(value: number, unit: string): number {
  const size = Math.abs(value);
  switch (unit) {
    case "cents":
    case "ct":
    case "%":
      return 0;
    case "ms":
      return size < 100 ? 1 : 0;
    case "Hz":
      return size < 100 ? 1 : 0;
    case "beat":
    case "beats":
      return 2;
    case "semitones":
    case "octaves":
      return 1;
    case "":
      return size < 10 ? 2 : 0;
    case "BPM":
      return Number.isInteger(value) ? 0 : 2;
    default:
      return 1;
  }
}

const PLAIN = ["C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B"];

/** Accidentals as the trade writes them. */
export const pretty = (name: string) =>
  name
    .replaceAll("#", "♯")
    .replace(/([A-G])(b+)/g, (_, letter: string, flats: string) => letter + "♭".repeat(flats.length));

/** Note names inside a sentence. */
export const prettyText = (text: string) => text.replace(/\b[A-G](?:bb?|##?)(?=-?\d)/g, pretty);

const NOMINAL_HZ = [25, 31.5, 40, 50, 63, 80, 100, 125, 160, 200];

/** A third-octave band by its nominal frequency (IEC 61260-1), as analysers label it. */
export const bandName = (centreHz: number) =>
  String(NOMINAL_HZ.find((hz) => Math.abs(Math.log2(centreHz / hz)) < 0.1) ?? Math.round(centreHz));

/** How far off its note something lands; where that is known less well than the key asks, the margin in its place. */
export const offNote = (cents: number | null, wideMarginCents: number | null, unit: "ct" | "cents" = "ct"): string =>
  wideMarginCents === null ? figure(cents, unit, { sign: true }) : `±${figure(wideMarginCents, unit)}`;

/** A note that the key does not spell. */
export const plainName = (note: number, middleC: "C3" | "C4"): string =>
  `${PLAIN[((note % 12) + 12) % 12]}${Math.floor(note / 12) - (middleC === "C4" ? 1 : 2)}`;

/** Nearest note of a frequency and its distance in cents. */
export function noteOf(
  hz: number,
  a4Hz: number,
  rungs: { note: number; name: string }[],
  middleC: "C3" | "C4",
): string {
  const exact = 69 + 12 * Math.log2(hz / a4Hz);
  const number = Math.round(exact);
  const cents = Math.round(100 * (exact - number));
  const known = rungs.find((rung) => rung.note === number);
  const name = known ? pretty(known.name) : plainName(number, middleC);
  return `${name} ${cents >= 0 ? "+" : "−"}${Math.abs(cents)} ct`;
}

const MS_A_MINUTE = 60_000;

/** How long a beat is, ms. */
/** A place in the loop as bar and beat, both from 1. */
export const inBars = (beats: number): string => `${Math.floor(beats / 4) + 1}.${Math.floor(beats % 4) + 1}`;

export const beatMs = (bpm: number): number => MS_A_MINUTE / bpm;
