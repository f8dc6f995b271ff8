import { Form } from "react-bootstrap";
import type { Duck, Trigger } from "../../api/types";
import { Choice } from "../../controls/Choice";
import { ModelRulers } from "../../controls/ModelRulers";
import { useEditor } from "../../queries/editor";
import { useChoices } from "../../queries/parameters";
import { hitsOf } from "../hits/pads";
import { withCurve } from "./duckedParts";

const NAMES: Record<Duck["key"]["kind"], string> = {
  kick: "the kick",
  hits: "hits",
  trigger: "the silent trigger",
  grid: "the grid",
  notes: "the bass's notes",
};

/** What restarts a part's curve, and the silent trigger's own pattern. */
export function Keys({ part, index, curve }: { part: string; index: number; curve: Duck }) {
  const editor = useEditor();
  const kinds = useChoices("Key", "kind") as Duck["key"]["kind"][];
  const patterns = useChoices("Trigger", "pattern") as Trigger["pattern"][];
  const { trigger } = editor.track;
  const { key } = curve;
  const set = (change: Partial<Duck["key"]>, gesture?: string) =>
    editor.edit(
      "Duck: keyed by",
      (track) => withCurve(track, part, { key: { ...curve.key, ...change } as Duck["key"] }, index),
      gesture,
    );
  return (
    <section aria-label="Key" className="d-flex gap-3 align-items-end mt-2 flex-wrap">
      <div style={{ width: 170 }}>
        <Choice
          label="Keyed by"
          value={key.kind}
          options={kinds.map((value) => ({ value, label: NAMES[value] }))}
          onChange={(kind) => set({ kind })}
        />
      </div>
      {key.kind === "trigger" && (
        <div style={{ width: 170 }}>
          <Choice
            label="Silent trigger"
            value={trigger.pattern}
            options={patterns.map((value) => ({ value, label: value }))}
            onChange={(pattern) =>
              editor.edit("Silent trigger", (track) => ({
                ...track,
                trigger: { ...track.trigger, pattern },
              }))
            }
          />
        </div>
      )}
      {key.kind === "trigger" && trigger.pattern === "free" && (
        <div className="field" style={{ width: 260 }}>
          <label htmlFor="trigger-places">Places in beats, separated by spaces</label>
          <Form.Control
            id="trigger-places"
            key={trigger.at_beats.join(" ")}
            size="sm"
            defaultValue={trigger.at_beats.join(" ")}
            onBlur={(event) => {
              const at_beats = [
                ...new Set(
                  event.target.value
                    .split(/[\s,;]+/)
                    .filter(Boolean)
                    .map(Number),
                ),
              ].filter((at) => Number.isFinite(at) && at >= 0);
              editor.edit("Silent trigger", (track) => ({
                ...track,
                trigger: { ...track.trigger, at_beats },
              }));
            }}
          />
        </div>
      )}
      {key.kind === "grid" && (
        <div style={{ flex: "1 1 300px" }}>
          <ModelRulers
            model="Key"
            values={key}
            tone="room"
            onChange={(name, value, gesture) => set({ [name]: value }, gesture)}
          />
        </div>
      )}
      {key.kind === "hits" &&
        hitsOf(editor.track).map((one) => (
          <Form.Check
            key={one.id}
            type="checkbox"
            id={`key-${one.id}`}
            label={one.name}
            checked={key.hit_ids.includes(one.id)}
            onChange={() =>
              set({
                hit_ids: key.hit_ids.includes(one.id)
                  ? key.hit_ids.filter((id) => id !== one.id)
                  : [...key.hit_ids, one.id],
              })
            }
          />
        ))}
    </section>
  );
}
