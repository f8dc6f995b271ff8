import type { View } from "../api/types";
import { figure, pretty } from "../controls/figures";

export interface Headline {
  value: string;
  label: string;
}

/** Two figures that matter most on a step. */
export function headlines(step: string, view: View): Headline[] {
  const { kick, tuning, clearance, levels, sheet, duck } = view.report;
  const word = clearance.goal_kind === "at_least" ? "goal" : "at most";
  const clear: Headline = {
    value: figure(clearance.after_db, "dB"),
    label: `kick clearance, ${word} ${figure(clearance.goal_db, "dB")}`,
  };
  const landing: Headline = {
    value: tuning ? pretty(tuning.landing_note) : "no pitch",
    label: kick?.cents != null ? `lands ${figure(kick.cents, "cents", { sign: true })} off, ${kick.verdict}` : "none",
  };
  const length: Headline = {
    value: figure(kick?.length_ms, "ms"),
    label: kick?.length_ms ? `kick, ${figure(kick.length_ms / sheet.beat_ms, "beats")} long` : "kick length",
  };
  const peak: Headline = { value: figure(levels.true_peak_db, "dBTP"), label: "true peak of the loop" };
  const margin: Headline = { value: figure(kick?.uncertainty_cents, "cents"), label: "margin of the landing" };
  const won: Headline = {
    value: figure(clearance.before_db === null ? null : (clearance.after_db ?? 0) - clearance.before_db, "dB", {
      sign: true,
    }),
    label: "clearance won",
  };
  const depth: Headline = { value: figure(-duck.pumping_db, "dB"), label: "deepest the bass goes" };
  const sets: Record<string, [Headline, Headline]> = {
    track: [clear, landing],
    hits: [landing, length],
    tune: [landing, margin],
    separate: [clear, won],
    duck: [clear, depth],
    deliver: [clear, peak],
  };
  return sets[step] ?? [clear, landing];
}
