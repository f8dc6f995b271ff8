import { Form } from "react-bootstrap";
import type { KitHit } from "../../api/types";
import { Choice } from "../../controls/Choice";
import { Ruler } from "../../controls/Ruler";
import type { hitsOf } from "./pads";

interface Props {
  one: KitHit;
  all: ReturnType<typeof hitsOf>;
  onChange: (label: string, change: (hit: KitHit) => KitHit, gesture?: string) => void;
  onRemove: () => void;
}

const NONE = 0;
const GROUPS = [1, 2, 3, 4, 5, 6, 7, 8];

/** A hit's place in the loop: level, name, which others it cuts. The kick is never cut and never leaves. */
export function InTheLoop({ one, all, onChange, onRemove }: Props) {
  const kick = one.id === "kick";
  const partners = (group: number) =>
    all.filter((other) => other.id !== one.id && other.choke === group).map((other) => other.name);
  return (
    <section aria-label="In the loop">
      <div className="grid-rulers">
        <Ruler
          model={kick ? "Mix" : "KitHit"}
          name={kick ? "kick_gain_db" : "gain_db"}
          label="Level in the loop"
          value={one.gain_db}
          onChange={(gain_db, gesture) => onChange("Level in the loop", (now) => ({ ...now, gain_db }), gesture)}
        />
        {!kick && (
          <div className="field">
            <label htmlFor="hit-name">Name</label>
            <Form.Control
              id="hit-name"
              size="sm"
              maxLength={40}
              value={one.name}
              onChange={(event) => {
                const name = event.target.value;
                if (name) onChange("Rename hit", (now) => ({ ...now, name }), `name-${one.id}`);
              }}
            />
          </div>
        )}
        {!kick && (
          <Choice
            label="Hits that cut each other"
            value={one.choke}
            options={[
              { value: NONE, label: "none" },
              ...GROUPS.map((value) => ({
                value,
                label: `group ${value}${partners(value).length ? `: ${partners(value).join(", ")}` : ""}`,
              })),
            ]}
            onChange={(choke) => onChange("Choke group", (now) => ({ ...now, choke }))}
          />
        )}
        {!kick && (
          <div className="field">
            <span>Undo brings it back</span>
            <button type="button" className="btn btn-plain" onClick={onRemove}>
              Remove {one.name}
            </button>
          </div>
        )}
      </div>
      <p className="soft small mt-2">Where it is played, how hard and how early or late: the pattern on Track.</p>
    </section>
  );
}
