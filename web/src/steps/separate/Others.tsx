import type { SeparateSheet } from "../../api/types";
import { bandName, figure } from "../../controls/figures";
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

/** How alike the sides of the bass are in each band, and what mono loses there. */
export function Sides({ sides }: { sides: SeparateSheet["sides"] }) {
  if (sides.length === 0) return null;
  return (
    <section aria-label="Sides of the bass">
      <div className="bench-head">
        <h3>Sides of the bass</h3>
        <span className="soft">the low end stays in the middle; wide is only its mid</span>
      </div>
      <div style={{ overflowX: "auto" }}>
        <table className="plain" aria-label="Sides of the bass by band">
          <thead>
            <tr>
              <th>Hz</th>
              {sides.map((one) => (
                <th key={one.centre_hz}>{bandName(one.centre_hz)}</th>
              ))}
            </tr>
          </thead>
          <tbody>
            <tr>
              <td className="soft">correlation</td>
              {sides.map((one) => (
                <td key={one.centre_hz} className="mono">
                  {one.correlation.toFixed(2)}
                </td>
              ))}
            </tr>
            <tr>
              <td className="soft">mono loses, dB</td>
              {sides.map((one) => (
                <td key={one.centre_hz} className="mono">
                  {figure(one.mono_loss_db, "dB").replace(" dB", "")}
                </td>
              ))}
            </tr>
          </tbody>
        </table>
      </div>
    </section>
  );
}
