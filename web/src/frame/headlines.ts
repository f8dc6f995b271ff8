import type { View } from "../api/types";
import { figure, offNote, pretty } from "../controls/figures";

export interface Headline {
  value: string;
  /** What it was before carve and duck, where that is another figure. */
  before?: string;
  label: string;
  /** Under what name it is explained. */
  means: string;
}

/** Both sides in one unit, which is said once. */
function sides(before: number | null, after: number | null, unit: string): Pick<Headline, "value" | "before"> {
  const value = figure(after, unit);
  if (before === null || after === null) return { value };
  return { value, before: figure(before, unit).replace(` ${unit}`, "") };
}

const landed = (cents: number, wide: number | null, verdict: string) =>
  wide === null
    ? `lands ${offNote(cents, null, "cents")} off, ${verdict}`
    : `known to ${offNote(cents, wide, "cents")} only`;

/** Two figures that matter most on a step. */
export function headlines(step: string, view: View): Headline[] {
  const { kick, tuning, clearance, levels, sheet, duck, room } = view.report;
  const word = clearance.goal_kind === "at_least" ? "goal" : "at most";
  const clear: Headline = {
    ...sides(clearance.before_db, clearance.after_db, "dB"),
    label: `kick clearance, ${word} ${figure(clearance.goal_db, "dB")}`,
    means: "kick clearance",
  };
  const landing: Headline = {
    value: tuning ? pretty(tuning.landing_note) : "no pitch",
    label: kick?.cents != null ? landed(kick.cents, tuning?.wide_margin_cents ?? null, kick.verdict) : "none",
    means: "landing",
  };
  const length: Headline = {
    value: figure(kick?.length_ms, "ms"),
    label: kick?.length_ms ? `kick, ${figure(kick.length_ms / sheet.beat_ms, "beats")} long` : "kick length",
    means: "kick length",
  };
  const peak: Headline = {
    value: figure(levels.true_peak_db, "dBTP"),
    label: "true peak of the loop",
    means: "true peak",
  };
  const margin: Headline = {
    value: figure(kick?.uncertainty_cents, "cents"),
    label: "margin of the landing",
    means: "margin of the landing",
  };
  const sum: Headline = {
    ...sides(room?.summing_before_db ?? null, room?.summing_after_db ?? null, "dB"),
    label: "kick and bass of a perfect sum",
    means: "perfect sum",
  };
  const depth: Headline = {
    value: figure(-duck.pumping_db, "dB"),
    label: "deepest the bass goes",
    means: "deepest the bass goes",
  };
  const sets: Record<string, [Headline, Headline]> = {
    track: [clear, landing],
    hits: [landing, length],
    tune: [landing, margin],
    separate: [clear, sum],
    duck: [clear, depth],
    deliver: [clear, peak],
  };
  return sets[step] ?? [clear, landing];
}
