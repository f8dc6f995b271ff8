import type { View } from "../api/types";
import { figure, offNote, pretty } from "../controls/figures";

export interface Headline {
  value: string;
  label: string;
}

const landed = (cents: number, wide: number | null, verdict: string) =>
  wide === null
    ? `lands ${offNote(cents, null, "cents")} off, ${verdict}`
    : `known to ${offNote(cents, wide, "cents")} only`;

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
    label: kick?.cents != null ? landed(kick.cents, tuning?.wide_margin_cents ?? null, kick.verdict) : "none",
  };
  const length: Headline = {
    value: figure(kick?.length_ms, "ms"),
    label: kick?.length_ms ? `kick, ${figure(kick.length_ms / sheet.beat_ms, "beats")} long` : "kick length",
  };
  const peak: Headline = { value: figure(levels.true_peak_db, "dBTP"), label: "true peak of the loop" };
  const margin: Headline = { value: figure(kick?.uncertainty_cents, "cents"), label: "margin of the landing" };
  const known = clearance.before_db !== null && clearance.after_db !== null;
  const won: Headline = {
    value: figure(known ? (clearance.after_db as number) - (clearance.before_db as number) : null, "dB", {
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
