import type { Bass } from "../../api/types";

type Name = Extract<keyof Bass, string>;

interface Part {
  title: string;
  help: string;
  names: Name[];
  /** Only with these sources. */
  sources?: Bass["source"][];
  /** Only where the bass is in layers, or only where it is one sound. */
  layered?: boolean;
}

const MADE: Bass["source"][] = ["sub", "saw", "pulse", "fm pluck", "recorded note"];

/** The rulers of the bass by the part they shape. */
export const BASS_PARTS: Part[] = [
  { title: "Harmonics", help: "a sine and its partials", names: ["harmonics_pct"], sources: ["sub"] },
  {
    title: "Saw",
    help: "two saws through a low-pass that opens at the start",
    names: ["detune_cents", "filter_octaves", "filter_sweep_octaves", "filter_decay_ms"],
    sources: ["saw"],
  },
  {
    title: "Pulse",
    help: "two pulses through a low-pass that opens at the start",
    names: ["detune_cents", "pulse_pct", "filter_octaves", "filter_sweep_octaves", "filter_decay_ms"],
    sources: ["pulse"],
  },
  {
    title: "Pluck",
    help: "a sine that another modulates less and less",
    names: ["fm_ratio", "fm_index", "fm_decay_ms"],
    sources: ["fm pluck"],
  },
  {
    title: "Sub",
    help: "a sine under the source; both are one sound",
    names: ["sub_db"],
    sources: ["saw", "pulse", "fm pluck"],
    layered: false,
  },
  {
    title: "Recorded note",
    help: "one loaded note, played at the speed each note of the line needs",
    names: ["note_begin_ms", "root_hz"],
    sources: ["recorded note"],
  },
  {
    title: "Recorded line",
    help: "a loaded loop, played as it is; its notes on Track say when it sounds, for the duck and the findings",
    names: ["begin_ms"],
    sources: ["recorded line"],
  },
  {
    title: "In layers",
    help: "a plain sub below the crossover, the source above it",
    names: ["cross_hz", "sub_db", "upper_db"],
    sources: [...MADE, "recorded line"],
    layered: true,
  },
  {
    title: "Note",
    help: "its edges and its drive",
    names: ["drive_db", "attack_ms", "release_ms", "fall_db_per_s"],
    sources: MADE,
  },
  {
    title: "Start",
    help: "a blip, so that note changes are heard",
    names: ["blip_semitones", "blip_ms", "blip_db"],
    sources: MADE,
  },
  {
    title: "Mid",
    help: "a driven copy above, for small systems",
    names: ["mid_db", "mid_from_hz", "mid_drive_db"],
    sources: MADE,
  },
  { title: "Width", help: "above its corner; the low end stays mono", names: ["width_pct", "mono_below_hz"] },
];

/** The parts that a bass from this source has, in layers or as one sound. */
export const partsOf = (source: Bass["source"], layered: boolean) =>
  BASS_PARTS.filter(
    (part) =>
      (!part.sources || part.sources.includes(source)) && (part.layered === undefined || part.layered === layered),
  );
