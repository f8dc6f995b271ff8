import { memo } from "react";
import type { SeparateSheet } from "../../api/types";
import { figure } from "../../controls/figures";
import { useSaved } from "../../queries/editor";

/** From here a stage that should win peak is told to cost it. */
const COSTS_DB = 0.05;

/** What kick and bass take of the room under full scale, what each stage gives back, and levels that leave some. */
export const Room = memo(function Room({ headroom, fresh }: { headroom: SeparateSheet["headroom"]; fresh: boolean }) {
  const editor = useSaved();
  const { kick, bass, both } = headroom;
  const rows = [
    { name: "Kick", level: kick, cost: headroom.kick_cost_db },
    { name: "Bass", level: bass, cost: headroom.bass_cost_db },
    { name: "Both", level: both, cost: null },
  ];
  return (
    <section aria-label="Headroom">
      <div className="bench-head">
        <h3>Headroom</h3>
        <span className="soft">
          peak and loudness as heard; cost: how much lower the whole loop, kit too, would peak without it
        </span>
        <button
          type="button"
          className="btn btn-plain ms-auto"
          disabled={editor.busy !== null || !fresh || headroom.kick_gain_db === null}
          title="Both levels by the same amount, so that the loudest peak leaves 6 dB for what comes later (common practice)"
          onClick={() => editor.send({ kind: "levels" }, "Levels with headroom")}
        >
          Leave 6 dB: kick {figure(headroom.kick_gain_db, "dB")}, bass {figure(headroom.bass_gain_db, "dB")}
        </button>
      </div>
      <div className="d-flex gap-5">
        <table className="plain" aria-label="Levels of kick and bass" style={{ maxWidth: 460 }}>
          <thead>
            <tr>
              <th>
                <span className="visually-hidden">Acts</span>
              </th>
              <th>Peak</th>
              <th>Loudness</th>
              <th>Cost</th>
            </tr>
          </thead>
          <tbody>
            {rows.map((row) => (
              <tr key={row.name}>
                <td>{row.name}</td>
                <td className="mono">{figure(row.level.peak_db, "dBFS")}</td>
                <td className="mono">{figure(row.level.loudness_lufs, "LUFS")}</td>
                <td className="mono">{figure(row.cost, "dB")}</td>
              </tr>
            ))}
          </tbody>
        </table>
        <table className="plain" aria-label="What each stage does" style={{ maxWidth: 380 }}>
          <thead>
            <tr>
              <th>Stage</th>
              <th>Peak</th>
              <th>Loudness</th>
            </tr>
          </thead>
          <tbody>
            {headroom.wins.map((win) => (
              <tr key={win.name}>
                <td>{win.name}</td>
                <td className="mono">{figure(win.peak_db, "dB", { sign: true })}</td>
                <td className="mono wrap">
                  {figure(win.loudness_lu, "LU", { sign: true })}
                  {win.name.startsWith("floor") && win.peak_db > COSTS_DB && (
                    <span className="soft"> costs peak: the kick’s resonant high-pass turns less phase</span>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
});
