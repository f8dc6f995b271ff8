import type { HitView } from "../../api/types";
import { figure } from "../../controls/figures";

/** What a rumble is judged by, measured at its level in the loop. */
export function RumbleFigures({ figures }: { figures: NonNullable<HitView["rumble"]> }) {
  const all: [string, string, string][] = [
    [figure(figures.evenness_db, "dB"), "between bands, 30 to 90 Hz", "Strongest third-octave band less the weakest"],
    [figure(figures.steadiness_db, "dB"), "up and down while it sounds", "90th less 10th percentile of its level"],
    [
      figure(figures.under_kick_db, "dB", { sign: true }),
      "against the kick",
      "Its level from 30 to 90 Hz less the kick's",
    ],
    [figure(figures.gap_before_ms, "ms"), "free before the next kick", "From where it has fallen by 20 dB"],
    [figure(figures.gap_after_ms, "ms"), "free after the kick", "To where it is within 20 dB of its level"],
    [
      figure(figures.fold_loss_db === null ? 0 : -figures.fold_loss_db, "dB"),
      "less in mono",
      "Level of the fold-down",
    ],
  ];
  return (
    <section className="figures mb-2" aria-label="Rumble, measured">
      {all.map(([value, label, help]) => (
        <div key={label} title={help}>
          <span className="mono">{value}</span>
          <span className="soft">{label}</span>
        </div>
      ))}
    </section>
  );
}
