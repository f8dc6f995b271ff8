import { Form } from "react-bootstrap";
import type { Move, View } from "../../api/types";
import { figure, pretty } from "../../controls/figures";
import { ResponsePlot } from "../../plots/ResponsePlot";
import { useEditor } from "../../queries/editor";
import { firstCurve } from "../duck/duckedParts";
import { useMoves } from "./useMoves";

interface Props {
  view: View;
  part: "kick" | "bass";
  /** By zones both parts are carved: the kick beside the bass, which has the switch and the act. */
  besides?: boolean;
  onHold: (move: Move | null) => void;
}

/** The carve of one part: computed, on a response chart with a handle for each move, and its moves in figures. */
export function CarveOn({ view, part, besides = false, onHold }: Props) {
  const editor = useEditor();
  const { carve, sheet } = editor.track;
  const { clearance, carve: report, room, bass_notes_hz } = view.report;
  const { moves, setMove, setCarve, add, named } = useMoves(besides);
  const losses = new Map(room?.notes.map((one) => [one.name, one]));
  const notes = Object.entries(bass_notes_hz)
    .map(([name, hz]) => ({
      hz,
      name: pretty(name),
      carved: losses.get(name)?.carved_lu ?? null,
      heard: losses.get(name)?.heard_lu ?? null,
    }))
    .sort((one, other) => one.hz - other.hz);
  const tonics = view.strip.rungs
    .filter((rung) => rung.tonic)
    .map((rung) => ({ hz: Number(rung.frequency_hz.toFixed(2)), name: pretty(rung.name) }));
  const short = report.carved_short_db;
  const does = firstCurve(editor.track).on ? "the duck does the rest" : `${figure(short, "dB")} are left for ducking`;
  const left = short !== null && short > 0.1 ? `; ${does}` : "";
  const picture = besides
    ? { ...view.carve, sum_db: view.carve.kick_sum_db, moves_db: view.carve.kick_moves_db }
    : view.carve;
  return (
    <div>
      <div className="bench-head">
        <h3>Carve on the {part}</h3>
        {!besides && (
          <>
            <button
              type="button"
              className="btn btn-strong"
              disabled={editor.busy !== null || clearance.reason !== null}
              onClick={() => editor.send({ kind: "carve" }, "Compute the carve")}
            >
              Compute carve
            </button>
            <Form.Check
              type="switch"
              id="carve-on"
              label="Carve on"
              checked={carve.on}
              onChange={() => setCarve(carve.on ? "Carve off" : "Carve on", (now) => ({ ...now, on: !now.on }))}
            />
          </>
        )}
        {besides && <span className="soft">where a zone is the bass's; computed and switched with the other</span>}
        <button
          type="button"
          className="btn btn-plain ms-auto"
          disabled={add === null}
          aria-label={named("Add move")}
          onClick={() => add?.()}
        >
          Add move
        </button>
      </div>
      {!besides && (
        <div className="small soft" style={{ minHeight: 20 }}>
          {carve.on && report.carved_clearance_db !== null
            ? `alone it reaches ${figure(report.carved_clearance_db, "dB")}${left}`
            : ""}
        </div>
      )}
      <ResponsePlot
        notes={part === "bass" ? notes : []}
        tonics={tonics}
        sampleRate={sheet.sample_rate}
        onHold={onHold}
        picture={picture}
        moves={carve.on ? moves : []}
        yields={part}
        onMove={(index, change, gesture) => setMove(index, change, gesture)}
      />
    </div>
  );
}
