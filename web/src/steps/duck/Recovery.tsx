import { Form } from "react-bootstrap";
import type { Duck } from "../../api/types";
import { figure } from "../../controls/figures";
import { useDefinition } from "../../queries/parameters";

interface Props {
  duck: Duck;
  recoveryMs: number | null;
  beatMs: number;
  onChange: (beats: number | null) => void;
}

const SOONEST = 0.05;

/** By when a part must be back: from the pattern, or as typed here or dragged in the picture. */
export function Recovery({ duck, recoveryMs, beatMs, onChange }: Props) {
  const longest = useDefinition("Duck").recovery_beats?.maximum ?? 64;
  return (
    <div className="d-flex gap-3 align-items-end mt-3">
      <div className="field" style={{ width: 190 }}>
        <label htmlFor="recovery">Recovery point in beats after the key</label>
        <Form.Control
          id="recovery"
          size="sm"
          type="number"
          min={SOONEST}
          max={longest}
          step={0.05}
          placeholder="from the pattern"
          value={duck.recovery_beats ?? ""}
          onChange={(event) => {
            const value = event.target.value === "" ? null : Number(event.target.value);
            if (value === null || (value > 0 && value <= longest)) onChange(value);
          }}
        />
      </div>
      {duck.recovery_beats !== null && (
        <button type="button" className="btn btn-plain" onClick={() => onChange(null)}>
          From the pattern
        </button>
      )}
      <span className="soft small">
        Empty: the part's first note after the kick's active part, else 85 % of the way to the next key.
        {recoveryMs !== null && (
          <>
            {" "}
            Here that is <span className="mono">{figure(recoveryMs, "ms")}</span>,{" "}
            <span className="mono">{figure(recoveryMs / beatMs, "beats")}</span>.
          </>
        )}
      </span>
    </div>
  );
}
