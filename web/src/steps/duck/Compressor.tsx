import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { CompressorRow } from "../../api/types";
import { figure } from "../../controls/figures";
import { useEditor } from "../../queries/editor";
import { compressorsQuery } from "../../queries/queries";

interface Props {
  part: string;
  beatMs: number;
  /** The row that is drawn over the curve, by its name. */
  shown: string | null;
  onShown: (row: CompressorRow | null) => void;
}

/** What to type into a keyed compressor to come closest to this curve, and what stays off. */
export function Compressor({ part, beatMs, shown, onShown }: Props) {
  const { settled, state } = useEditor();
  const [open, setOpen] = useState(false);
  const found = useQuery({
    ...compressorsQuery(settled.id, settled.revision, part),
    enabled: open && settled === state,
  });
  return (
    <section aria-label="Keyed compressor">
      <div className="bench-head">
        <h3>In a compressor</h3>
        <span className="soft">
          settings of a keyed compressor closest to this curve; times to 63 %, as hosts differ also to 90 %
        </span>
        <button
          type="button"
          className="btn btn-plain ms-auto"
          aria-expanded={open}
          onClick={() => {
            setOpen((now) => !now);
            onShown(null);
          }}
        >
          {open ? "Close" : "Match"}
        </button>
      </div>
      {open && found.isError && <p className="clash-text small">It could not be matched: {found.error.message}</p>}
      {open && !found.data && !found.isError && <p className="soft small">Matching…</p>}
      {open && found.data?.length === 0 && <p className="soft small">This curve does not move: nothing to match.</p>}
      {open && !!found.data?.length && (
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
                <th>in beats</th>
                <th>Off, mean / most</th>
                <th />
              </tr>
            </thead>
            <tbody>
              {found.data.map((row) => (
                <tr key={row.name}>
                  <td className="wrap">
                    <strong>{row.name}</strong>
                    {row.early_ms > 0 && <span className="soft"> by {figure(row.early_ms, "ms")}</span>}
                  </td>
                  <td className="mono">{figure(row.settings.threshold_db, "dB")}</td>
                  <td className="mono">{figure(row.settings.ratio, "")}:1</td>
                  <td className="mono">{figure(row.settings.knee_db, "dB")}</td>
                  <td className="mono">
                    {figure(row.settings.attack_ms, "ms").replace(" ms", "")} / {figure(row.attack_90_ms, "ms")}
                  </td>
                  <td className="mono">
                    {figure(row.settings.release_ms, "ms").replace(" ms", "")} / {figure(row.release_90_ms, "ms")}
                  </td>
                  <td className="mono">{figure(row.settings.release_ms / beatMs, "beat")}</td>
                  <td className="mono">
                    {figure(row.rms_db, "dB").replace(" dB", "")} / {figure(row.worst_db, "dB")}
                  </td>
                  <td>
                    <button
                      type="button"
                      className="btn btn-plain"
                      aria-pressed={shown === row.name}
                      aria-label={`Draw it: ${row.name}`}
                      onClick={() => onShown(shown === row.name ? null : row)}
                    >
                      Draw
                    </button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      {open && !!found.data?.length && (
        <p className="small soft mb-0">
          Make-up gain off: it would lift what lies between the keys. A compressor does not look ahead: a silent key
          sent early comes nearer.
        </p>
      )}
    </section>
  );
}
