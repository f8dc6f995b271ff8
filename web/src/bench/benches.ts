import type { ReactNode } from "react";
import type { BenchTab } from "./benchTab";

/** What every bench is made of, the main act first. */
export const BENCHES = {
  track: [
    { id: "pattern", name: "Pattern and line" },
    { id: "chords", name: "Chords", topics: ["roots"] },
    { id: "sheet", name: "Sheet" },
    { id: "rest", name: "Rest of the track" },
    { id: "tempo", name: "Tempo in ms" },
  ],
  tune: [
    { id: "targets", name: "Where it could land" },
    { id: "pitch", name: "Its pitch" },
    { id: "against", name: "Against the bass", topics: ["line"] },
    { id: "notes", name: "Notes of the line" },
  ],
  separate: [
    { id: "room", name: "Clash and carve" },
    { id: "moves", name: "Moves and filters", topics: ["floor"] },
    { id: "owners", name: "Owners and ways" },
    { id: "sum", name: "How they add up" },
    { id: "others", name: "Other parts", topics: ["other parts"] },
    { id: "bass", name: "The bass itself" },
  ],
  duck: [
    { id: "curve", name: "Curve" },
    { id: "key", name: "Key and part" },
    { id: "guards", name: "Guards" },
    { id: "ways", name: "Ways" },
    { id: "compressor", name: "Compressor" },
    { id: "featured", name: "Featured part" },
    { id: "print", name: "To type in" },
  ],
} satisfies Record<string, BenchTab[]>;

export type Panels<Step extends keyof typeof BENCHES> = Record<(typeof BENCHES)[Step][number]["id"], ReactNode>;

/** The tabs of a bench with what is on each. */
export const panelled = <Step extends keyof typeof BENCHES>(step: Step, panels: Panels<Step>) =>
  (BENCHES[step] as (BenchTab & { id: keyof Panels<Step> })[]).map((one) => ({ ...one, panel: panels[one.id] }));
