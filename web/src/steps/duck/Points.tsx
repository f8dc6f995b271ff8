import type { Duck } from "../../api/types";
import { figure } from "../../controls/figures";
import { noteValue } from "../../controls/noteValues";
import { gripsOf } from "../../plots/duckShape";

interface Props {
  duck: Duck;
  recoveryMs: number;
  beatMs: number;
}

/** Every point of the curve in ms, beats and note values. */
export function Points({ duck, recoveryMs, beatMs }: Props) {
  const rows = [
    ...gripsOf(duck).map((one) => ({ name: one.name, ms: one.ms, db: one.db })),
    { name: "back by here", ms: recoveryMs, db: null },
  ];
  return (
    <div style={{ overflowX: "auto" }}>
      <table className="plain" aria-label="Points of the curve">
        <tbody>
          <tr>
            <th>after the key</th>
            {rows.map((one) => (
              <td key={one.name} className="soft">
                {one.name}
              </td>
            ))}
          </tr>
          <tr>
            <th>time</th>
            {rows.map((one) => (
              <td key={one.name} className="mono">
                {figure(one.ms, "ms")}
              </td>
            ))}
          </tr>
          <tr>
            <th>in beats</th>
            {rows.map((one) => (
              <td key={one.name} className="mono">
                {figure(one.ms / beatMs, "beat").replace(" beat", "")}
                {noteValue(one.ms / beatMs) && <span className="soft"> {noteValue(one.ms / beatMs)}</span>}
              </td>
            ))}
          </tr>
          <tr>
            <th>gain</th>
            {rows.map((one) => (
              <td key={one.name} className="mono">
                {one.db === null ? "" : figure(one.db, "dB")}
              </td>
            ))}
          </tr>
        </tbody>
      </table>
    </div>
  );
}
