import { Form } from "react-bootstrap";
import type { Carve, Move, View } from "../../api/types";
import { Choice } from "../../controls/Choice";
import { figure, pretty } from "../../controls/figures";
import { ModelRulers } from "../../controls/ModelRulers";
import { ResponsePlot } from "../../plots/ResponsePlot";
import { useEditor } from "../../queries/editor";
import { useChoices } from "../../queries/parameters";

const MOST_MOVES = 3;
const NEW_MOVE: Move = { shape: "bell", frequency_hz: 60, gain_db: -3, q: 0.9, slope_db: 12 };
/** From 24 dB an octave on a pass has no Q of its own. */
const GENTLEST_DB = 12;

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
  const field = besides ? "kick_moves" : "moves";
  const moves = carve[field];
  const setCarve = (label: string, change: (now: Carve) => Carve, gesture?: string) =>
    editor.edit(label, (track) => ({ ...track, carve: change(track.carve) }), gesture);
  const named = (label: string) => (besides ? `${label} on the kick` : label);
  const setMove = (index: number, change: Partial<Move>, gesture?: string) =>
    setCarve(
      named(`Carve move ${index + 1}`),
      (now) => ({ ...now, [field]: now[field].map((move, i) => (i === index ? { ...move, ...change } : move)) }),
      gesture,
    );
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
  const does = editor.track.duck.on ? "the duck does the rest" : `${figure(short, "dB")} are left for ducking`;
  const left = short !== null && short > 0.1 ? `; ${does}` : "";
  const picture = besides
    ? { ...view.carve, sum_db: view.carve.kick_sum_db, moves_db: view.carve.kick_moves_db }
    : view.carve;
  return (
    <>
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
            <span className="soft">
              {carve.on && report.carved_clearance_db !== null
                ? `the carve alone reaches ${figure(report.carved_clearance_db, "dB")}${left}`
                : ""}
            </span>
          </>
        )}
        {besides && <span className="soft">where a zone is the bass's; computed and switched with the other</span>}
        <button
          type="button"
          className="btn btn-plain ms-auto"
          disabled={moves.length >= MOST_MOVES}
          aria-label={named("Add move")}
          onClick={() =>
            setCarve(named("Add a move"), (now) => ({ ...now, on: true, [field]: [...now[field], NEW_MOVE] }))
          }
        >
          Add move
        </button>
      </div>
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
      {moves.map((move, index) => (
        <MoveRow
          key={index}
          title={named(`Move ${index + 1}`)}
          move={move}
          tone={part}
          onChange={(change, gesture) => setMove(index, change, gesture)}
          onRemove={() =>
            setCarve(named("Remove a move"), (now) => ({ ...now, [field]: now[field].filter((_, i) => i !== index) }))
          }
        />
      ))}
    </>
  );
}

interface RowProps {
  title: string;
  move: Move;
  tone: "kick" | "bass";
  onChange: (change: Partial<Move>, gesture?: string) => void;
  onRemove: () => void;
}

/** One move in figures. */
function MoveRow({ title, move, tone, onChange, onRemove }: RowProps) {
  const shapes = useChoices("Move", "shape") as Move["shape"][];
  const slopes = useChoices("Move", "slope_db") as unknown as Move["slope_db"][];
  const passes = move.shape === "high-pass";
  return (
    <div className="d-flex gap-3 align-items-start mt-2">
      <div style={{ width: 116 }}>
        <Choice
          label={title}
          value={move.shape}
          options={shapes.map((value) => ({ value, label: value }))}
          onChange={(shape) => onChange({ shape })}
        />
        {passes && (
          <Choice
            label="Slope"
            value={move.slope_db}
            options={slopes.map((value) => ({ value, label: `${value} dB/oct` }))}
            onChange={(slope_db) => onChange({ slope_db })}
          />
        )}
        <button type="button" className="btn btn-plain mt-1" onClick={onRemove}>
          Remove
        </button>
      </div>
      <div style={{ flex: 1 }}>
        <ModelRulers
          model="Move"
          values={move}
          tone={tone}
          skip={!passes ? [] : move.slope_db > GENTLEST_DB ? ["gain_db", "q"] : ["gain_db"]}
          onChange={(name, value, gesture) => onChange({ [name]: value }, gesture)}
        />
      </div>
    </div>
  );
}
