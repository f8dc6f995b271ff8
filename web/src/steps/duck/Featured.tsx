import { useState } from "react";
import { Form } from "react-bootstrap";
import { BASS, KICK } from "../../api/parts";
import { figure } from "../../controls/figures";
import { useEditor } from "../../queries/editor";
import { partName } from "./duckedParts";
import { keysOfAll, matrixOf } from "./matrix";

const CAPS_DB = [3, 6, 9, 12];
const USUAL_CAP_DB = 6;

/** Room for one part under all others, and who is ducked by what, how deep. */
export function Featured() {
  const editor = useEditor();
  const { track } = editor;
  const parts = track.parts.flatMap((one) => (one.id === KICK ? [] : [one.id]));
  const [asked, setAsked] = useState<string | null>(null);
  const [cap_db, setCap] = useState(USUAL_CAP_DB);
  const part = asked !== null && parts.includes(asked) ? asked : (parts[1] ?? BASS);
  const keys = keysOfAll(track);
  const rows = matrixOf(track);
  return (
    <section aria-label="Room for a featured part">
      <div className="bench-head">
        <h3>Room for a featured part</h3>
        <span className="soft">all others go down while it sounds, hats hardly, the kick never</span>
      </div>
      <div className="d-flex gap-2 align-items-center mb-2">
        <Form.Select
          size="sm"
          aria-label="Featured part"
          style={{ width: 180 }}
          value={part}
          onChange={({ target }) => setAsked(target.value)}
        >
          {parts.map((one) => (
            <option key={one} value={one}>
              {partName(track, one)}
            </option>
          ))}
        </Form.Select>
        <Form.Select
          size="sm"
          aria-label="At most"
          style={{ width: 150 }}
          value={cap_db}
          onChange={({ target }) => setCap(Number(target.value))}
        >
          {CAPS_DB.map((one) => (
            <option key={one} value={one}>
              at most {figure(one, "dB")}
            </option>
          ))}
        </Form.Select>
        <button
          type="button"
          className="btn btn-plain text-nowrap"
          disabled={editor.busy !== null}
          title="A duck on each that is in its way, with its times; a cut where it sounds most of the loop"
          onClick={() => editor.send({ kind: "feature", part, cap_db }, `Room for ${partName(track, part)}`)}
        >
          Make room for it
        </button>
      </div>
      {rows.length > 0 && (
        <table className="plain" aria-label="Who is ducked by what">
          <thead>
            <tr>
              <th>Ducked</th>
              {keys.map((key) => (
                <th key={key.id}>by {key.name}</th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((row) => (
              <tr key={row.part}>
                <td>{partName(track, row.part)}</td>
                {keys.map((key) => (
                  <td key={key.id} className="mono">
                    {row.depths[key.id] === undefined ? "–" : figure(-(row.depths[key.id] as number), "dB")}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}
