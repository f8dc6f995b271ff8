import { bassOf } from "../../api/parts";
import type { SeparateSheet } from "../../api/types";
import { bandName, figure } from "../../controls/figures";
import { useEditor } from "../../queries/editor";

interface Props {
  phase: SeparateSheet["phase"];
  centres: number[];
  fresh: boolean;
}

/** How kick and bass add up where they meet, and the bass start or polarity with which they would add best. */
export function AddUp({ phase, centres, fresh }: Props) {
  const editor = useEditor();
  if (!phase) return null;
  const { shift_ms, inverted } = bassOf(editor.track);
  const turned = shift_ms !== 0 || inverted;
  const way = [
    phase.shift_ms !== 0 &&
      `the bass ${figure(Math.abs(phase.shift_ms), "ms")} ${phase.shift_ms > 0 ? "later" : "earlier"}`,
    phase.inverted && "turned over",
  ].filter(Boolean);
  return (
    <section aria-label="Phase at the hit">
      <div className="bench-head">
        <h3>How they add up</h3>
        <span className="soft">
          how much of a perfect sum kick and bass reach while the kick sounds: 0 dB is all of it; correlation{" "}
          <span className="mono">{phase.now.correlation.toFixed(2)}</span>
          {turned && ` (bass moved ${figure(shift_ms, "ms", { sign: true })}${inverted ? ", inverted" : ""})`}
        </span>
        <button
          type="button"
          className="btn btn-plain ms-auto"
          disabled={editor.busy !== null || !fresh || !phase.worth}
          title={phase.caution}
          onClick={() => editor.send({ kind: "phase" }, "Bass to the kick's phase")}
        >
          {phase.worth ? `Win ${figure(phase.gain_db, "dB")}: ${way.join(", ")}` : "As good as it gets"}
        </button>
      </div>
      <table className="plain" aria-label="Summing gain by band">
        <thead>
          <tr>
            <th>dB</th>
            <th>low end</th>
            {centres.map((centre) => (
              <th key={centre}>{bandName(centre)}</th>
            ))}
          </tr>
        </thead>
        <tbody>
          {(["now", "best"] as const).map((which) => (
            <tr key={which}>
              <td className="soft">{which === "now" ? "now" : "at best"}</td>
              <td className="mono">{figure(phase[which].summing_db, "dB").replace(" dB", "")}</td>
              {phase[which].by_band_db.map((value, i) => (
                <td key={centres[i]} className="mono">
                  {figure(value, "dB").replace(" dB", "")}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      <p className="small soft mb-0">Note: {phase.caution}.</p>
    </section>
  );
}
