import { Form } from "react-bootstrap";
import type { Target } from "../../api/types";
import { Choice } from "../../controls/Choice";
import { ModelRulers } from "../../controls/ModelRulers";
import { useEditor } from "../../queries/editor";
import { useChoices } from "../../queries/parameters";
import { targetOf, withTarget } from "./parts";

/** How much of a part its curves move, how they go together, and where its reverb and delay stand. */
export function PartOptions({ part }: { part: string }) {
  const editor = useEditor();
  const target = targetOf(editor.track, part);
  const spaces = useChoices("Target", "space") as Target["space"][];
  const together = useChoices("Target", "together") as Target["together"][];
  const set = (change: Partial<Target>, gesture?: string) =>
    editor.edit("Duck: the part", (track) => withTarget(track, part, change), gesture);
  return (
    <section aria-label="How the part is ducked" className="d-flex gap-3 align-items-end mt-2 flex-wrap">
      <Form.Check
        type="switch"
        id="duck-split"
        label="Only below"
        checked={target?.split ?? false}
        onChange={() => set({ split: !target?.split })}
      />
      {target?.split && (
        <div style={{ flex: "1 1 240px" }}>
          <ModelRulers
            model="Target"
            values={target}
            only={["split_hz"]}
            tone="room"
            onChange={(name, value, gesture) => set({ [name]: value }, gesture)}
          />
        </div>
      )}
      {target && part !== "bass" && part !== "kick" && (
        <div style={{ width: 160 }}>
          <Choice
            label="Reverb and delay"
            value={target.space ?? spaces[0]}
            options={spaces.map((value) => ({ value, label: value }))}
            onChange={(space) => set({ space })}
          />
        </div>
      )}
      {target && target.curves.length + (part === "bass" ? 1 : 0) > 1 && (
        <div style={{ width: 140 }}>
          <Choice
            label="Curves together"
            value={target.together ?? together[0]}
            options={together.map((value) => ({ value, label: value }))}
            onChange={(value) => set({ together: value })}
          />
        </div>
      )}
    </section>
  );
}
