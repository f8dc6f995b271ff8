import { useEffect, useRef, useState } from "react";
import type { TrackState } from "../api/types";

const QUIET_MS = 120;

/** A value once it has rested and nothing is `moving`: for what takes long, and must not hold up what follows at once. */
export function useSettled<T>(value: T, moving: boolean, quietMs = QUIET_MS): T {
  const [settled, setSettled] = useState(value);
  useEffect(() => {
    if (moving) return;
    const timer = setTimeout(() => setSettled(value), quietMs);
    return () => clearTimeout(timer);
  }, [value, moving, quietMs]);
  return settled;
}

/** Whether a button of the mouse, a pen or a finger is down: a ruler that is held still is not let go of. */
function useHandDown(): boolean {
  const [down, setDown] = useState(false);
  useEffect(() => {
    const pressed = () => setDown(true);
    const released = () => setDown(false);
    addEventListener("pointerdown", pressed, true);
    addEventListener("pointerup", released, true);
    addEventListener("pointercancel", released, true);
    // Let go of over another window nobody says so.
    addEventListener("blur", released);
    return () => {
      removeEventListener("pointerdown", pressed, true);
      removeEventListener("pointerup", released, true);
      removeEventListener("pointercancel", released, true);
      removeEventListener("blur", released);
    };
  }, []);
  return down;
}

interface Fitting {
  /** The hand is at work: something of it is not stored yet. */
  moving: boolean;
  /** Ducks are being fitted again. */
  fitting: boolean;
  /** Whether that may be done for the newest step. */
  mayRefit: () => boolean;
  refit: () => void;
}

/**
 * The newest state once it rests and what was computed for something else is fitted again: measured once, as it stays. A step
 * that was no movement of the hand rests from its first moment.
 */
export function useFitted(state: TrackState, { moving, fitting, mayRefit, refit }: Fitting): TrackState {
  const held = useHandDown();
  const rest = useSettled(state, moving, mayRefit() ? QUIET_MS : 0);
  const behind = rest === state && state.refit.length > 0 && mayRefit();
  const last = useRef(state);
  useEffect(() => {
    if (behind && !held) refit();
  }, [behind, held, refit]);
  // In a hand that holds still what there is so far is shown; it is fitted when it is let go of.
  if (rest === state && (!behind || held) && !fitting) last.current = state;
  return last.current;
}
