import type { Hit } from "../../api/types";
import { useMost } from "../../queries/parameters";
import { type Control, OwnRangeMark, ownRange } from "./OwnRangeMark";
import "./marks.css";

interface Props {
  hit: Hit;
  name: string;
  /** The model that describes it, and where it stands: for its own range. */
  model: string;
  of: Control;
  onHit: (label: string, change: (hit: Hit) => Hit) => void;
}

const turned = (all: string[], name: string) =>
  all.includes(name) ? all.filter((one) => one !== name) : [...all, name];

/** Whether a roll may move a parameter, and whether it is one of the hit's front controls. */
export function RollMarks({ hit, name, model, of, onHit }: Props) {
  const most = useMost("Hit", "front");
  const locked = hit.locked.includes(name);
  const ranged = ownRange(hit, of) !== undefined;
  const front = hit.front.includes(name);
  return (
    <span className={`marks ${front || locked || ranged ? "set" : ""}`}>
      <button
        type="button"
        aria-pressed={front}
        disabled={!front && hit.front.length >= most}
        title={`Front control: shown with the rolls, which can be limited to these (up to ${most})`}
        onClick={() =>
          onHit(front ? "Front control off" : "Front control", (one) => ({ ...one, front: turned(one.front, name) }))
        }
      >
        with rolls
      </button>
      <button
        type="button"
        aria-pressed={locked}
        title="Locked: no roll moves this"
        onClick={() => onHit(locked ? "Unlock" : "Lock", (one) => ({ ...one, locked: turned(one.locked, name) }))}
      >
        lock
      </button>
      <OwnRangeMark hit={hit} of={of} model={model} onHit={onHit} />
    </span>
  );
}
