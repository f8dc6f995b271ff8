import type { Carve } from "../api/types";

export interface StepLink {
  id: string;
  path: string;
  name: string;
}

/** The steps in the order of work, carve first; see `stepsOf`. */
const STEPS: StepLink[] = [
  { id: "track", path: "/track", name: "Track" },
  { id: "hits", path: "/hits", name: "Hits" },
  { id: "tune", path: "/tune", name: "Tune" },
  { id: "separate", path: "/separate", name: "Separate" },
  { id: "duck", path: "/duck", name: "Duck" },
  { id: "deliver", path: "/deliver", name: "Deliver" },
];

const DUCK_FIRST = ["track", "hits", "tune", "duck", "separate", "deliver"].map(
  (id) => STEPS.find((step) => step.id === id) as StepLink,
);

/** The steps in the order of work: what is computed first comes first. */
export const stepsOf = (order: Carve["order"]): StepLink[] => (order === "duck first" ? DUCK_FIRST : STEPS);
