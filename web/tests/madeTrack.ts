import type { Bass, BassNote, Hit, Part, Stroke, Track } from "../src/api/types";

interface Made {
  kick?: Hit;
  strokes?: Stroke[];
  bass?: Partial<Bass>;
  notes?: Partial<BassNote>[];
  /** What the bass is ducked by. */
  curves?: object[];
  others?: object[];
  [field: string]: unknown;
}

const NOT_DUCKED = { curves: [], follows: null };

/** A track of a kick, a bass and other parts, with no more than a trial needs. */
export const madeTrack = ({
  kick,
  strokes = [],
  bass = {},
  notes = [],
  curves = [],
  others = [],
  ...rest
}: Made): Track =>
  ({
    parts: [
      {
        id: "kick",
        name: "Kick",
        role: "kick",
        hit: kick ?? { layers: [] },
        strokes,
        notes: [],
        gain_db: -6,
        choke: 0,
        muted: false,
        ducked: NOT_DUCKED,
      },
      {
        id: "bass",
        name: "Bass",
        role: "bass",
        instrument: bass,
        ducked: { ...NOT_DUCKED, curves },
        strokes: [],
        notes,
        chain: [],
        gain_db: -10,
        choke: 0,
      },
      ...(others as Partial<Part>[]).map((one) => ({ strokes: [], notes: [], ducked: NOT_DUCKED, ...one })),
    ],
    ...rest,
  }) as unknown as Track;
