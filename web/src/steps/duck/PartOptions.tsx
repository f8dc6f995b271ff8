import { useQuery } from "@tanstack/react-query";
import { Form } from "react-bootstrap";
import { partOf, withPart } from "../../api/parts";
import type { Ducked, DuckedPart } from "../../api/types";
import { Choice } from "../../controls/Choice";
import { figure } from "../../controls/figures";
import { ModelRulers } from "../../controls/ModelRulers";
import { useEditor } from "../../queries/editor";
import { useChoices, useDefinition } from "../../queries/parameters";
import { spacesQuery } from "../../queries/queries";
import { curvesOf, duckedOf, withDucked } from "./duckedParts";

/** How much of a part its curves move, how they go together, its goal, and where its reverb and delay stand. */
export function PartOptions({ part, found }: { part: string; found: DuckedPart | undefined }) {
  const editor = useEditor();
  const target = duckedOf(editor.track, part);
  const spaces = useChoices("Ducked", "space") as Ducked["space"][];
  const together = useChoices("Ducked", "together") as Ducked["together"][];
  const goal = useDefinition("Ducked").goal_db;
  const { settled } = editor;
  const tails = useQuery({
    ...spacesQuery(settled.id, settled.revision, part),
    enabled: found?.rings === true && settled === editor.state,
  });
  const own = partOf(editor.track, part);
  const set = (change: Partial<Ducked>, gesture?: string) =>
    editor.edit("Duck: the part", (track) => withDucked(track, part, change), gesture);
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
            model="Ducked"
            values={target}
            only={["split_hz"]}
            tone="room"
            onChange={(name, value, gesture) => set({ [name]: value }, gesture)}
          />
        </div>
      )}
      {found?.goal_db != null && !found.at_most && found.before_db !== null && (
        <div className="field" style={{ width: 150 }}>
          <label htmlFor="duck-goal">Goal, {found.owner.toLowerCase()} over it, dB</label>
          <Form.Control
            id="duck-goal"
            size="sm"
            type="number"
            step={0.5}
            min={goal?.minimum}
            max={goal?.maximum}
            placeholder={`${found.goal_db.toFixed(1)}, the owner's`}
            value={target?.goal_db ?? ""}
            onChange={(event) => {
              const value = event.target.value === "" ? null : Number(event.target.value);
              if (value === null || (value >= (goal?.minimum ?? -20) && value <= (goal?.maximum ?? 30)))
                set({ goal_db: value }, "duck-goal");
            }}
          />
        </div>
      )}
      {own && (
        <div style={{ flex: "1 1 220px" }}>
          <ModelRulers
            model="Part"
            values={own}
            only={["gain_db"]}
            tone="room"
            onChange={(_, gain_db, gesture) =>
              editor.edit("Level", (track) => withPart(track, part, (one) => ({ ...one, gain_db })), gesture)
            }
          />
        </div>
      )}
      {curvesOf(editor.track, part).length > 1 && (
        <div style={{ width: 140 }}>
          <Choice
            label="Curves together"
            value={target?.together ?? together[0] ?? "deepest"}
            options={together.map((value) => ({ value, label: value }))}
            onChange={(value) => set({ together: value })}
          />
        </div>
      )}
      {target?.together === "sum" && curvesOf(editor.track, part).length > 1 && (
        <div style={{ flex: "1 1 200px" }}>
          <ModelRulers
            model="Ducked"
            values={target}
            only={["limit_db"]}
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
      {found?.rings && tails.data && (
        <span className="small soft">
          {tails.data.map((one, i) => (
            <span key={one.space}>
              {i > 0 && "; "}
              {one.space}: tail <span className="mono">{figure(one.tail_ms, "ms")}</span>, under the key{" "}
              <span className="mono">{figure(one.under_key_db, "dB")}</span>
            </span>
          ))}
        </span>
      )}
      {found && !found.rings && part !== "bass" && part !== "kick" && (
        <span className="small soft">no reverb or delay ends its bus: both orders are the same</span>
      )}
    </section>
  );
}
