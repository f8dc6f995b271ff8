import { createContext, type ReactNode, useContext, useMemo } from "react";
import { pretty } from "./figures";
import type { Tick } from "./scale";

interface Rung {
  note: number;
  name: string;
  frequency_hz: number;
  tonic: boolean;
}

interface Landmarks {
  bpm: number;
  a4Hz: number;
  middleC: "C3" | "C4";
  rungs: Rung[];
  noteTicks: Tick[];
}

const LandmarksContext = createContext<Landmarks | null>(null);

export function useLandmarks(): Landmarks {
  const found = useContext(LandmarksContext);
  if (found === null) throw new Error("useLandmarks needs a LandmarksProvider above it");
  return found;
}

interface Props {
  bpm: number;
  a4Hz: number;
  middleC: "C3" | "C4";
  rungs: Rung[];
  children: ReactNode;
}

/** What rulers show as landmarks: the notes of the key and the tempo. The tonic comes first, so that it is kept. */
export function LandmarksProvider({ bpm, a4Hz, middleC, rungs, children }: Props) {
  // The same object while nothing changes: every ruler listens to it.
  const landmarks = useMemo(() => {
    const ordered = [...rungs].sort((one, other) => Number(other.tonic) - Number(one.tonic));
    const noteTicks = ordered.map((rung) => ({ value: rung.frequency_hz, label: pretty(rung.name) }));
    return { bpm, a4Hz, middleC, rungs, noteTicks };
  }, [bpm, a4Hz, middleC, rungs]);
  return <LandmarksContext value={landmarks}>{children}</LandmarksContext>;
}
