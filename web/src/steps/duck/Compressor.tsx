import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { CompressorRow, KeyedCompressor } from "../../api/types";
import { figure } from "../../controls/figures";
import { nearestValue } from "../../controls/noteValues";
import { OnDemand } from "../../controls/OnDemand";
import { useEditor } from "../../queries/editor";
import { compressorsQuery } from "../../queries/queries";
import { useRested } from "../../queries/useRested";

interface Props {
  part: string;
  beatMs: number;
  /** The row that is drawn over the curve, by its name. */
  shown: string | null;
  /** What is heard in place of the curve, if a compressor is. */
  used: KeyedCompressor | null;
  onShown: (row: CompressorRow | null) => void;
  onUse: (row: CompressorRow) => void;
}

const isSame = (one: KeyedCompressor, other: KeyedCompressor) =>
  one.threshold_db === other.threshold_db &&
  one.ratio === other.ratio &&
  one.attack_ms === other.attack_ms &&
  one.release_ms === other.release_ms &&
  one.early_ms === other.early_ms;

/** What to type into a keyed compressor to come closest to this curve, and what stays off. */
export function Compressor({ part, beatMs, shown, used, onShown, onUse }: Props) {
  const { settled, busy } = useEditor();
  const rested = useRested();
  const [open, setOpen] = useState(false);
  const found = useQuery({
    ...compressorsQuery(settled.id, settled.revision, part),
    enabled: open && rested,
  });
  return (
    <OnDemand
      label="Keyed compressor"
      title="In a compressor"
      hint="settings of a keyed compressor closest to this curve; times to 63 %, as hosts differ also to 90 %"
      verb="Match"
      open={open}
      onOpen={(now) => {
        setOpen(now);
        onShown(null);
      }}
      found={found}
      doing="Matching…"
      failed="It could not be matched"
      nothing="This curve does not move: nothing to match."
    >
      {(rows) => (
        <>
          <div style={{ overflowX: "auto" }}>
            <table className="plain" aria-label="Compressor settings">
              <thead>
                <tr>
                  <th>Set</th>
                  <th>Threshold</th>
                  <th>Ratio</th>
                  <th>Knee</th>
                  <th>Attack 63 / 90 %</th>
                  <th>Release 63 / 90 %</th>
                  <th>Off, mean / most</th>
                  <th>Reaches</th>
                  <th>
                    <span className="visually-hidden">Acts</span>
                  </th>
                </tr>
              </thead>
              <tbody>
                {rows.map((row) => (
                  <tr key={row.name}>
                    <td className="wrap">
                      <strong>{row.name}</strong>
                      {row.settings.early_ms > 0 && (
                        <span className="soft"> by {figure(row.settings.early_ms, "ms")}</span>
                      )}
                    </td>
                    <td className="mono">{figure(row.settings.threshold_db, "dB")}</td>
                    <td className="mono">{figure(row.settings.ratio, "")}:1</td>
                    <td className="mono">{figure(row.settings.knee_db, "dB")}</td>
                    <td className="mono">
                      {figure(row.settings.attack_ms, "ms").replace(" ms", "")} / {figure(row.attack_90_ms, "ms")}
                    </td>
                    <td className="mono">
                      {figure(row.settings.release_ms, "ms").replace(" ms", "")} / {figure(row.release_90_ms, "ms")}
                      <div className="soft">
                        {figure(row.settings.release_ms / beatMs, "beat")},{" "}
                        {nearestValue(row.settings.release_ms / beatMs)}
                      </div>
                    </td>
                    <td className="mono">
                      {figure(row.rms_db, "dB").replace(" dB", "")} / {figure(row.worst_db, "dB")}
                      {!row.is_close && <div className="clash-text">no match</div>}
                    </td>
                    <td className="mono">{figure(row.clearance_db, "dB")}</td>
                    <td className="text-nowrap">
                      <button
                        type="button"
                        className="btn btn-plain"
                        aria-pressed={shown === row.name}
                        aria-label={`Draw it: ${row.name}`}
                        onClick={() => onShown(shown === row.name ? null : row)}
                      >
                        Draw
                      </button>
                      <button
                        type="button"
                        className="btn btn-plain ms-1"
                        disabled={busy !== null}
                        aria-pressed={used !== null && isSame(used, row.settings)}
                        aria-label={`Use it: ${row.name}`}
                        title="In place of the curve: heard at the next beat, in every file"
                        onClick={() => onUse(row)}
                      >
                        Use
                      </button>
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
          <p className="small soft mb-0">
            Make-up gain off: it would lift what lies between the keys. A compressor does not look ahead: a silent key
            sent early comes nearer. <em>Use</em> puts it in place of the curve.
          </p>
        </>
      )}
    </OnDemand>
  );
}
