import { instrumentOf } from "../../api/parts";
import type { Line } from "../../api/types";
import { figure, pretty } from "../../controls/figures";
import { useEditor } from "../../queries/editor";

interface Props {
  line: Line;
  fresh: boolean;
}

/** Every note of the line: what it is called, what is typed for it, who plays it, and what makes the line even. */
export function NoteMap({ line, fresh }: Props) {
  const editor = useEditor();
  if (line.notes.length === 0) return null;
  const recorded = instrumentOf(editor.track).source === "recorded note";
  return (
    <section aria-label="Notes of the line">
      <div className="bench-head">
        <h3>Notes of the line</h3>
        <span className="soft">
          loudest over quietest {figure(line.even_spread_db, "dB")}; transposed from{" "}
          {recorded ? "the recorded root" : "the lowest note"}
        </span>
        <button
          type="button"
          className="btn btn-plain ms-auto"
          disabled={editor.busy !== null || !fresh}
          title="Sets each note's own level, by K-weighted loudness (ITU-R BS.1770)"
          onClick={() => editor.send({ kind: "even-line", way: "K-weighted" }, "Even the line")}
        >
          Even by loudness
        </button>
        <button
          type="button"
          className="btn btn-plain"
          disabled={editor.busy !== null || !fresh}
          title="Sets each note's own level by the equal-loudness contour of its fundamental at 80 phon (ISO 226:2003)"
          onClick={() => editor.send({ kind: "even-line", way: "equal-loudness contour" }, "Even the line")}
        >
          Even by ear
        </button>
      </div>
      <table className="plain" aria-label="Note map">
        <thead>
          <tr>
            <th>Note</th>
            <th>C3 / C4</th>
            <th>Frequency</th>
            <th>Transpose</th>
            {recorded && <th>Length</th>}
            <th>Loudness</th>
            <th>Evened by</th>
            <th>By ear</th>
            <th>Not played by</th>
          </tr>
        </thead>
        <tbody>
          {line.notes.map((row) => (
            <tr key={row.note}>
              <td>
                <strong>{pretty(row.name)}</strong> <span className="soft">×{row.count}</span>
              </td>
              <td className="mono">
                {pretty(row.name_c3)} / {pretty(row.name_c4)}
              </td>
              <td className="mono">{figure(row.frequency_hz, "Hz")}</td>
              <td className="mono">{figure(row.root_semitones, "st", { sign: true })}</td>
              {recorded && <td className="mono">{figure(row.speed_ms, "ms")}</td>}
              <td className="mono">{figure(row.loudness_db, "dB")}</td>
              <td className="mono">{figure(row.even_db, "dB", { sign: true })}</td>
              <td className="mono">{figure(row.contour_db, "dB", { sign: true })}</td>
              <td className="soft wrap" title="10 dB down or more: this project's choice">
                {row.not_played_by.join(", ") || "–"}
                {row.advice && <span className="clash-text"> {row.advice}</span>}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
