import type { DuckedPart } from "../../api/types";
import { figure } from "../../controls/figures";
import { Means } from "../../controls/Means";
import { useEditor } from "../../queries/editor";

/** Under this there is nothing to be measured. */
const NOTHING_DB = -150;

/** What a duck may do wrong, each measured on the rendered part, against its limit. */
export function Guards({ guards }: { guards: DuckedPart["guards"] }) {
  const { limits } = useEditor().track;
  return (
    <section aria-label="Guards">
      <div className="bench-head">
        <h3>What it may do wrong</h3>
      </div>
      <div className="figures">
        <Guard label="start click" value={guards.start_click_db} unit="dB" limit={limits.start_click_db} />
        <Guard
          label="low-note distortion"
          value={guards.low_note_distortion_db}
          unit="dB"
          limit={limits.low_note_distortion_db}
        />
        <Guard label="down at the next key" value={guards.pile_up_db} unit="dB" limit={limits.pile_up_db} />
        <Guard label="notes not back in time" value={guards.late_notes.length} unit="notes" limit={0} />
        <Guard label="level jump by bar" value={guards.level_jump_lu} unit="LU" limit={limits.level_jump_lu} />
        {guards.make_up_lift_db != null && (
          <Guard label="make-up lift" value={guards.make_up_lift_db} unit="dB" limit={limits.make_up_lift_db} />
        )}
        <Guard label="range of the gain" value={guards.pumping_db} unit="dB" limit={null} />
      </div>
    </section>
  );
}

interface GuardProps {
  label: string;
  value: number | null;
  unit: string;
  limit: number | null;
}

function Guard({ label, value, unit, limit }: GuardProps) {
  const over = value !== null && limit !== null && value > limit;
  const text =
    unit === "notes" ? String(value ?? 0) : value !== null && value < NOTHING_DB ? "none" : figure(value, unit);
  return (
    <div>
      <span className="soft">
        <Means of={label}>{label}</Means>
      </span>
      <span className={`mono ${over ? "clash-text" : ""}`}>{text}</span>
      {limit !== null && (
        <span className="soft">
          limit {unit === "notes" ? limit : figure(limit, unit)}
          {over ? ", over" : ""}
        </span>
      )}
    </div>
  );
}
