import type { Move } from "../../api/types";
import { Choice } from "../../controls/Choice";
import { ModelRulers } from "../../controls/ModelRulers";
import { useChoices } from "../../queries/parameters";
import { useMoves } from "./useMoves";

/** From 24 dB an octave on a pass has no Q of its own. */
const GENTLEST_DB = 12;

/** The moves of one part's carve, in figures; the chart they are drawn on is beside the clash. */
export function CarveMoves({ part, besides = false }: { part: "kick" | "bass"; besides?: boolean }) {
  const { moves, setMove, add, remove, named } = useMoves(besides);
  return (
    <section aria-label={`Moves of the carve on the ${part}`}>
      <div className="bench-head">
        <h3>Moves of the carve on the {part}</h3>
        <span className="soft">{moves.length === 0 ? "none yet: compute the carve, or add one" : ""}</span>
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
      {moves.map((move, index) => (
        <MoveRow
          key={index}
          title={named(`Move ${index + 1}`)}
          move={move}
          tone={part}
          onChange={(change, gesture) => setMove(index, change, gesture)}
          onRemove={() => remove(index)}
        />
      ))}
    </section>
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
