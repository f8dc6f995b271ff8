import { Form } from "react-bootstrap";
import { othersOf } from "../../api/parts";
import type { Part } from "../../api/types";
import { Ruler } from "../../controls/Ruler";
import { useEditor } from "../../queries/editor";
import { useDefinition } from "../../queries/parameters";
import { withoutHit } from "../duck/duckedParts";
import { withHit } from "../hits/pads";

/** The rest of the track: stems from files that play along in every step, count in the levels, and are not delivered. */
export function Context() {
  const editor = useEditor();
  const longestMs = useDefinition("Take").length_ms?.maximum;
  const longest = longestMs ? ` (up to ${longestMs / 1000} s)` : "";
  const stems = othersOf(editor.track).filter((one) => one.role === "context");
  const change = (id: string, label: string, edit: (one: Part) => Part, gesture?: string) =>
    editor.edit(label, (track) => withHit(track, id, edit), gesture);
  const begin = (one: Part) => {
    const source = one.hit.layers[0]?.source;
    return source?.engine === "take" ? source.begin_ms : null;
  };
  const from = (one: Part, begin_ms: number): Part => ({
    ...one,
    hit: {
      ...one.hit,
      layers: one.hit.layers.map((layer) =>
        layer.source.engine === "take" ? { ...layer, source: { ...layer.source, begin_ms } } : layer,
      ),
    },
  });
  return (
    <section aria-label="The rest of the track">
      <div className="bench-head">
        <h3>The rest of the track</h3>
        <span className="soft">
          {stems.length
            ? "plays along in every step and counts in the levels; it is not delivered"
            : `load stems or a loop of it${longest} to hear and measure the low end in its place`}
        </span>
      </div>
      {stems.map((one) => (
        <div key={one.id} className="d-flex gap-3 align-items-center mb-1">
          <span style={{ width: 150 }} className="text-truncate" title={one.name}>
            {one.name}
          </span>
          <div style={{ flex: 1 }}>
            <Ruler
              model="Part"
              name="gain_db"
              label={`Level of ${one.name}`}
              value={one.gain_db}
              onChange={(gain_db, gesture) =>
                change(one.id, "Level of a stem", (now) => ({ ...now, gain_db }), gesture)
              }
            />
          </div>
          <div style={{ flex: 1 }}>
            {begin(one) !== null && (
              <Ruler
                model="Take"
                name="begin_ms"
                label="Bar 1 is at"
                value={begin(one) ?? 0}
                onChange={(value, gesture) => change(one.id, "Bar 1 of a stem", (now) => from(now, value), gesture)}
              />
            )}
          </div>
          <Form.Check
            type="switch"
            id={`mute-${one.id}`}
            label="Mute"
            aria-label={`Mute ${one.name}`}
            checked={one.muted}
            onChange={() => change(one.id, one.muted ? "Unmute" : "Mute", (now) => ({ ...now, muted: !now.muted }))}
          />
          <button
            type="button"
            className="btn btn-plain"
            aria-label={`Remove ${one.name}`}
            onClick={() => editor.edit(`Remove ${one.name}`, (track) => withoutHit(track, one.id))}
          >
            Remove
          </button>
        </div>
      ))}
    </section>
  );
}
