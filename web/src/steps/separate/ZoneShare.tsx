import { ModelRulers } from "../../controls/ModelRulers";
import { useEditor } from "../../queries/editor";

/** By zones: what of the goals below the bass's own the carve takes, ducking the rest; planned in one press. */
export function ZoneShare() {
  const editor = useEditor();
  const { carve, sheet } = editor.track;
  const first = sheet.zones.findIndex((zone) => zone.owner === "bass");
  const from = first > 0 ? sheet.zones[first - 1]?.to_hz : undefined;
  return (
    <section aria-label="Share of the carve">
      <div className="bench-head">
        <h3>Carve and duck</h3>
        <button
          type="button"
          className="btn btn-strong"
          disabled={editor.busy !== null}
          onClick={() => editor.send({ kind: "room" }, "Plan carve and duck")}
        >
          Plan carve and duck
        </button>
        <span className="soft">
          {first === 0
            ? "the lowest zone is the bass's: nothing is ducked"
            : from === undefined
              ? "no zone is the bass's: all of it is ducked"
              : `the bass is ducked below ${Math.round(from)} Hz; from there on the carve does all`}
        </span>
      </div>
      <ModelRulers
        model="Carve"
        values={carve}
        only={["share_pct", "depth_limit_db", "lift_limit_db"]}
        tone="room"
        onChange={(name, value, gesture) =>
          editor.edit("Limits of the carve", (now) => ({ ...now, carve: { ...now.carve, [name]: value } }), gesture)
        }
      />
    </section>
  );
}
