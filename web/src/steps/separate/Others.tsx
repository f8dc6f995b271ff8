import { memo } from "react";
import type { SeparateSheet } from "../../api/types";
import { figure } from "../../controls/figures";
import { useSaved } from "../../queries/editor";
import { withHit } from "../hits/pads";

/** What the other parts of the kit take from the owner of the sub, and the least high-pass that gives it back. */
export const Others = memo(function Others({ others, fresh }: { others: SeparateSheet["others"]; fresh: boolean }) {
  const editor = useSaved();
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
            <th>
              <span className="visually-hidden">Acts</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {others.map((one) => (
            <tr key={one.hit_id}>
              <td>{one.name}</td>
              <td className={one.high_pass_hz === null ? "mono" : "mono clash-text"}>{figure(one.cost_db, "dB")}</td>
              <td className="mono">
                {one.high_pass_hz !== null
                  ? figure(one.high_pass_hz, "Hz")
                  : one.cut_under_kick_hz !== null
                    ? `${figure(one.cut_under_kick_hz, "Hz")} under the kick`
                    : "–"}
              </td>
              <td className="mono">{one.high_pass_hz === null ? "–" : figure(one.left_db, "dB")}</td>
              <td className="text-end">
                {one.high_pass_hz !== null &&
                  (["always", "under the kick"] as const).map((when) => (
                    <button
                      key={when}
                      type="button"
                      className="btn btn-plain"
                      disabled={editor.busy !== null || !fresh}
                      aria-label={`High-pass ${one.name} ${when}`}
                      onClick={() => editor.send({ kind: "clear", part: one.hit_id, when }, `High-pass ${one.name}`)}
                    >
                      {when === "always" ? "High-pass it" : "Only under the kick"}
                    </button>
                  ))}
                {one.cut_under_kick_hz !== null && (
                  <button
                    type="button"
                    className="btn btn-plain"
                    aria-label={`No cut under the kick for ${one.name}`}
                    onClick={() =>
                      editor.edit(`${one.name} without the cut`, (track) =>
                        withHit(track, one.hit_id, (now) => ({ ...now, kick_cut: { ...now.kick_cut, on: false } })),
                      )
                    }
                  >
                    Take the cut off
                  </button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
});
