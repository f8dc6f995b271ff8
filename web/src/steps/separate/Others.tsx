import type { SeparateSheet } from "../../api/types";
import { figure } from "../../controls/figures";
import { useEditor } from "../../queries/editor";

/** What the other parts of the kit take from the owner of the sub, and the least high-pass that gives it back. */
export function Others({ others, fresh }: { others: SeparateSheet["others"]; fresh: boolean }) {
  const editor = useEditor();
  if (others.length === 0) return null;
  return (
    <section aria-label="Other parts' low end">
      <div className="bench-head">
        <h3>Other parts' low end</h3>
        <span className="soft">
          what each takes from the clearance, and the least high-pass (24 dB an octave) against it
        </span>
      </div>
      <table className="plain" aria-label="What other parts cost">
        <thead>
          <tr>
            <th>Part</th>
            <th>Costs</th>
            <th>High-pass</th>
            <th>Then left</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {others.map((one) => (
            <tr key={one.hit_id}>
              <td>{one.name}</td>
              <td className={one.high_pass_hz === null ? "mono" : "mono clash-text"}>{figure(one.cost_db, "dB")}</td>
              <td className="mono">{one.high_pass_hz === null ? "–" : figure(one.high_pass_hz, "Hz")}</td>
              <td className="mono">{one.high_pass_hz === null ? "–" : figure(one.left_db, "dB")}</td>
              <td className="text-end">
                {one.high_pass_hz !== null && (
                  <button
                    type="button"
                    className="btn btn-plain"
                    disabled={editor.busy !== null || !fresh}
                    aria-label={`High-pass ${one.name}`}
                    onClick={() => editor.clearPart(one.hit_id, one.name)}
                  >
                    High-pass it
                  </button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
