import type { SeparateSheet } from "../../api/types";
import { bandName, figure } from "../../controls/figures";

/** How alike the sides of the bass are in each band, and what mono loses there. */
export function Sides({ sides }: { sides: SeparateSheet["sides"] }) {
  if (sides.length === 0) return null;
  return (
    <section aria-label="Sides of the bass">
      <div className="bench-head">
        <h4>Sides of the bass</h4>
        <span className="soft">how alike left and right are in each band, and what mono loses</span>
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
