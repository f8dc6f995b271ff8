import { Form } from "react-bootstrap";
import { BASS, KICK, moved } from "../../api/parts";
import type { Part, Track } from "../../api/types";
import { ByPass } from "../../controls/ByPass";
import { ModelRulers } from "../../controls/ModelRulers";
import { useEditor } from "../../queries/editor";
import { ChokeChoice } from "./ChokeChoice";
import { LevelLine } from "./LevelLine";
import { ROLES } from "./pads";
import { Standing } from "./Standing";
import { SwellFrom } from "./SwellFrom";

interface Props {
  one: Part;
  track: Track;
  onChange: (label: string, change: (part: Part) => Part, gesture?: string) => void;
  /** Kick and bass never leave. */
  onRemove?: () => void;
}

/** A kick is the track's own, and a rumble is made of it. */
const COPIED_AS = ROLES.flatMap(({ id, name }) => (id === "kick" || id === "rumble" ? [] : [{ id, name }]));

const PLACE_LABELS: Record<string, string> = { gain_db: "Level in the loop", pan_pct: "Pan", shift_ms: "Start" };

/** A part's place in the loop, the same for all of them: what does not apply to kick and bass is not there. */
export function InTheLoop({ one, track, onChange, onRemove }: Props) {
  const editor = useEditor();
  const low = one.id === KICK || one.id === BASS;
  const at = track.parts.findIndex((each) => each.id === one.id);
  const toggle = (name: "inverted" | "muted" | "by_end", id: string, title: string, label: string) => (
    <Form.Check
      type="switch"
      id={id}
      className="align-self-end"
      label={title}
      checked={one[name]}
      onChange={() => onChange(label, (now) => ({ ...now, [name]: !now[name] }))}
    />
  );
  return (
    <section aria-label="In the loop">
      <ModelRulers
        model="Part"
        values={one}
        tone={one.id === BASS ? "bass" : one.id === KICK ? "kick" : "room"}
        // Both low parts stay in the middle.
        only={low ? ["gain_db", "shift_ms"] : ["gain_db", "pan_pct", "shift_ms"]}
        onChange={(name, value, gesture) =>
          onChange(PLACE_LABELS[name] ?? name, (now) => ({ ...now, [name]: value }), gesture)
        }
      />
      <Standing one={one} track={track} onChange={onChange} />
      <div className="grid-rulers mt-2">
        {!low && (
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
        {toggle("inverted", "hit-inverted", "Turned over", "Polarity")}
        {!low && toggle("by_end", "hit-by-end", "Placed by its end", "Placed by its end")}
        <ChokeChoice
          track={track}
          id={one.id}
          value={one.choke}
          onChange={(choke) => onChange("Choke group", (now) => ({ ...now, choke }))}
        />
        {toggle("muted", "hit-muted", "Mute", one.muted ? "Unmute" : "Mute")}
        {!low && (
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
        <div className="field">
          <span>In every list</span>
          <span className="together">
            {([-1, 1] as const).map((by) => (
              <button
                key={by}
                type="button"
                className="btn btn-plain"
                disabled={!track.parts[at + by]}
                onClick={() => editor.edit(`Move ${one.name}`, (now) => moved(now, one.id, by))}
              >
                {by < 0 ? "Earlier" : "Later"}
              </button>
            ))}
          </span>
        </div>
        {one.id !== BASS && (
          <div className="field">
            <label htmlFor="copy-as">Copy it as</label>
            <Form.Select
              id="copy-as"
              size="sm"
              value=""
              disabled={editor.busy !== null}
              onChange={(event) => {
                const role = COPIED_AS.find((each) => each.id === event.target.value);
                if (role) editor.send({ kind: "copy-hit", part: one.id, role: role.id }, `Copy ${one.name}`);
              }}
            >
              <option value="">another part</option>
              {COPIED_AS.map((role) => (
                <option key={role.id} value={role.id}>
                  {role.name}
                </option>
              ))}
            </Form.Select>
          </div>
        )}
        {!one.muted && (
          <div className="field">
            <span>The loop without it</span>
            <ByPass of={{ part: one.id, layer: null, stage: null, name: one.name }} />
          </div>
        )}
        {onRemove && !low && (
          <div className="field">
            <span>Undo brings it back</span>
            <button type="button" className="btn btn-plain" onClick={onRemove}>
              Remove {one.name}
            </button>
          </div>
        )}
      </div>
      {!low && one.kick_cut.on && (
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
      {one.id !== BASS && one.hit.layers.length > 0 && <SwellFrom key={one.id} one={one} />}
      <LevelLine part={one.id} name={one.name} />
      <p className="soft small mt-2">Where it is played, how hard and how early or late: the pattern on Track.</p>
    </section>
  );
}
