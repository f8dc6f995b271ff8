export interface StepLink {
  id: string;
  path: string;
  name: string;
}

/** The steps in the order of work. */
export const STEPS: StepLink[] = [
  { id: "track", path: "/track", name: "Track" },
  { id: "hits", path: "/hits", name: "Hits" },
  { id: "tune", path: "/tune", name: "Tune" },
  { id: "separate", path: "/separate", name: "Separate" },
  { id: "duck", path: "/duck", name: "Duck" },
  { id: "deliver", path: "/deliver", name: "Deliver" },
];
