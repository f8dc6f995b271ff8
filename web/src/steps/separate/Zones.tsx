import type { Sheet, View } from "../../api/types";
import { Choice } from "../../controls/Choice";
import { figure } from "../../controls/figures";
import { Ruler } from "../../controls/Ruler";
import { useEditor } from "../../queries/editor";
import { useChoices, useDefinition, useParameter } from "../../queries/parameters";

type Zone = Sheet["zones"][number];
type Standing = View["report"]["clearance"]["zones"][number];

const WHOSE: Record<Zone["owner"], string> = { kick: "the kick's", bass: "the bass's", shared: "shared in time" };
/** What a zone is short of its goal by less than this is rounding: the duck takes of the next zone by hairs. */
const NEAR_DB = 0.25;

/** Whose each stretch of the low end is, and how each stands: zones are moved, given, split and joined. */
export function Zones({ zones: standing }: { zones: Standing[] }) {
  const editor = useEditor();
  const { zones } = editor.track.sheet;
  const owners = useChoices("Zone", "owner") as Zone["owner"][];
  const most = useDefinition("Sheet").zones?.maxItems ?? zones.length;
  const range = useParameter("Zone", "to_hz");
  const set = (label: string, change: (now: Zone[]) => Zone[], gesture?: string) =>
    editor.edit(
      label,
      (track) => ({ ...track, sheet: { ...track.sheet, zones: change(track.sheet.zones) } }),
      gesture,
    );
  const from = (index: number) => zones[index - 1]?.to_hz ?? range.minimum;
  // An end stays between its neighbours: zones rise.
  const between = (index: number, hz: number) =>
    Math.min((zones[index + 1]?.to_hz ?? range.maximum + 1) - 1, Math.max(from(index) + (index ? 1 : 0), hz));
  return (
    <section aria-label="Owners by zone">
      <div className="bench-head">
        <h3>Owners by zone</h3>
        <span className="soft">kick over bass in each; both parts are carved by one plan</span>
      </div>
      {zones.map((zone, index) => (
        <div key={index} className="d-flex gap-3 align-items-center mt-1">
          <div style={{ width: 132 }}>
            <Choice
              label={`Zone ${index + 1}`}
              value={zone.owner}
              options={owners.map((value) => ({ value, label: WHOSE[value] }))}
              onChange={(owner) =>
                set("Owner of a zone", (now) => now.map((one, i) => (i === index ? { ...one, owner } : one)))
              }
            />
          </div>
          <div style={{ flex: "1 1 0", minWidth: 200 }}>
            <Ruler
              model="Zone"
              name="to_hz"
              label={`Zone ${index + 1} up to`}
              tone="room"
              value={zone.to_hz}
              onChange={(hz, gesture) =>
                set(
                  "End of a zone",
                  (now) => now.map((one, i) => (i === index ? { ...one, to_hz: between(index, hz) } : one)),
                  gesture,
                )
              }
            />
          </div>
          <span style={{ flex: "1 1 0" }} data-testid={`zone-${index + 1}`}>
            <Stands one={standing[index]} />
          </span>
          <button
            type="button"
            className="btn btn-plain"
            aria-label={`Split zone ${index + 1}`}
            disabled={zones.length >= most || zone.to_hz - from(index) < 2}
            onClick={() =>
              set("Split a zone", (now) =>
                now.flatMap((one, i) =>
                  i === index ? [{ ...one, to_hz: Math.round(Math.sqrt(from(index) * one.to_hz)) }, one] : [one],
                ),
              )
            }
          >
            Split
          </button>
          <button
            type="button"
            className="btn btn-plain"
            aria-label={`Remove zone ${index + 1}`}
            disabled={zones.length < 2}
            onClick={() => set("Remove a zone", (now) => now.filter((_, i) => i !== index))}
          >
            Remove
          </button>
        </div>
      ))}
    </section>
  );
}

/** How one zone stands. */
function Stands({ one }: { one: Standing | undefined }) {
  if (!one) return <span className="soft">measuring</span>;
  if (one.reason !== null) return <span className="soft">{one.reason}</span>;
  const short = (one.short_db ?? 0) > NEAR_DB;
  return (
    <>
      <span className="mono">{figure(one.before_db, "dB")}</span> before,{" "}
      <span className="mono">{figure(one.after_db, "dB")}</span> now; goal{" "}
      {one.goal_kind === "at_least" ? "at least" : "at most"}{" "}
      <span className="mono">{figure(one.goal_db, "dB")}</span>
      <span className={short ? "clash-text" : "soft"}>
        {short ? `, short by ${figure(one.short_db, "dB")}` : ", reached"}
      </span>
    </>
  );
}
