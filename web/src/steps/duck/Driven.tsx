import type { DuckedPart, KeyedCompressor } from "../../api/types";
import { Choice } from "../../controls/Choice";
import { figure } from "../../controls/figures";
import { ModelRulers } from "../../controls/ModelRulers";
import { useChoices } from "../../queries/parameters";

interface Props {
  one: KeyedCompressor;
  found: DuckedPart | undefined;
  onChange: (change: Partial<KeyedCompressor>, gesture?: string) => void;
  onCurve: () => void;
}

/** The keyed compressor that stands in for a curve: its rulers, its make-up gain, and the way back. */
export function Driven({ one, found, onChange, onCurve }: Props) {
  const ways = useChoices("KeyedCompressor", "make_up") as KeyedCompressor["make_up"][];
  return (
    <section aria-label="Compressor in place of the curve" className="mt-2">
      <div className="d-flex gap-3 align-items-end mb-2 flex-wrap">
        <span>A keyed compressor stands in for the curve; times to 63 %.</span>
        <div style={{ width: 130 }}>
          <Choice
            label="Make-up gain"
            value={one.make_up}
            options={ways.map((value) => ({ value, label: value }))}
            onChange={(make_up) => onChange({ make_up })}
          />
        </div>
        {found?.make_up_db != null && one.make_up !== "off" && (
          <span className="soft">
            adds <span className="mono">{figure(found.make_up_db, "dB", { sign: true })}</span>
            {found.guards.make_up_lift_db != null && (
              <>
                , between the keys{" "}
                <span className="mono">{figure(found.guards.make_up_lift_db, "dB", { sign: true })}</span>
              </>
            )}
          </span>
        )}
        <button type="button" className="btn btn-plain ms-auto" onClick={onCurve}>
          Back to the curve
        </button>
      </div>
      <ModelRulers
        model="KeyedCompressor"
        values={one}
        skip={one.make_up === "manual" ? [] : ["make_up_db"]}
        tone="room"
        onChange={(name, value, gesture) => onChange({ [name]: value }, gesture)}
      />
    </section>
  );
}
