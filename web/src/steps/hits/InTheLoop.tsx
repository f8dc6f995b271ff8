import { Form } from "react-bootstrap";
import type { KitHit, Track } from "../../api/types";
import { ByPass } from "../../controls/ByPass";
import { ModelRulers } from "../../controls/ModelRulers";
import { Ruler } from "../../controls/Ruler";
import { useEditor } from "../../queries/editor";
import { ChokeChoice } from "./ChokeChoice";
import { LevelLine } from "./LevelLine";
import { moved } from "./pads";

interface Props {
  one: KitHit;
  track: Track;
  onChange: (label: string, change: (hit: KitHit) => KitHit, gesture?: string) => void;
  onRemove: () => void;
}

/** A hit's place in the loop: level, name, which others it cuts. The kick never leaves. */
export function InTheLoop({ one, track, onChange, onRemove }: Props) {
  const editor = useEditor();
  const kick = one.id === "kick";
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
          <Form.Check
            type="switch"
            id="hit-inverted"
            className="align-self-end"
            label="Turned over"
            checked={one.inverted}
            onChange={() => onChange("Polarity", (now) => ({ ...now, inverted: !now.inverted }))}
          />
        )}
        <ChokeChoice
          track={track}
          id={one.id}
          value={one.choke}
          onChange={(choke) => onChange("Choke group", (now) => ({ ...now, choke }))}
        />
        {!kick && (
          <Form.Check
            type="switch"
            id="hit-muted"
            className="align-self-end"
            label="Mute"
            checked={one.muted}
            onChange={() => onChange(one.muted ? "Unmute" : "Mute", (now) => ({ ...now, muted: !now.muted }))}
          />
        )}
        {!kick && (
          <Form.Check
            type="switch"
            id="hit-kick-cut"
            className="align-self-end"
            label="Cut under the kick"
            checked={one.kick_cut.on}
            onChange={() =>
              onChange("Cut under the kick", (now) => ({
                ...now,
                kick_cut: { ...now.kick_cut, on: !now.kick_cut.on },
              }))
            }
          />
        )}
        {!kick && (
          <div className="field">
            <span>In every list</span>
            <span className="together">
              {([-1, 1] as const).map((by) => (
                <button
                  key={by}
                  type="button"
                  className="btn btn-plain"
                  disabled={!track.kit[track.kit.findIndex((each) => each.id === one.id) + by]}
                  onClick={() => editor.edit(`Move ${one.name}`, (now) => moved(now, one.id, by))}
                >
                  {by < 0 ? "Earlier" : "Later"}
                </button>
              ))}
            </span>
          </div>
        )}
        {!one.muted && (
          <div className="field">
            <span>The loop without it</span>
            <ByPass of={{ part: one.id, layer: null, stage: null, name: one.name }} />
          </div>
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
      {!kick && (
        <div className="mt-2">
          <ModelRulers
            model="KitHit"
            values={one}
            tone="room"
            only={["pan_pct", "shift_ms"]}
            onChange={(name, value, gesture) =>
              onChange(name === "pan_pct" ? "Pan" : "Start", (now) => ({ ...now, [name]: value }), gesture)
            }
          />
        </div>
      )}
      {!kick && one.kick_cut.on && (
        <ModelRulers
          model="KickCut"
          values={one.kick_cut}
          tone="room"
          onChange={(name, value, gesture) =>
            onChange(
              "Cut under the kick",
              (now) => ({ ...now, kick_cut: { ...now.kick_cut, [name]: value } }),
              gesture,
            )
          }
        />
      )}
      <LevelLine part={one.id} name={one.name} />
      <p className="soft small mt-2">Where it is played, how hard and how early or late: the pattern on Track.</p>
    </section>
  );
}
