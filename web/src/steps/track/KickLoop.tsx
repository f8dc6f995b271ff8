import { Form } from "react-bootstrap";
import { KICK, kickOf, withPart } from "../../api/parts";
import { BarsChoice } from "../../controls/BarsChoice";
import { Ruler } from "../../controls/Ruler";
import { useEditor } from "../../queries/editor";
import { LoopStrokes } from "./LoopStrokes";

/** The kick as a recorded loop: from where it plays, fitted or not, and its strokes read anew. */
export function KickLoop() {
  const editor = useEditor();
  const { loop, strokes } = kickOf(editor.track);
  if (!loop.take) return null;
  const { take } = loop;
  const set = (label: string, change: Partial<typeof loop>, gesture?: string) =>
    editor.edit(
      label,
      (track) => withPart(track, KICK, (one) => ({ ...one, loop: { ...one.loop, ...change } })),
      gesture,
    );
  const read = (fit_bars: number | null) =>
    editor.send({ kind: "kick-loop", take, begin_ms: loop.begin_ms, fit_bars }, "Read the kicks again");
  return (
    <section aria-label="Kick from a loop">
      <div className="bench-head">
        <h3>Kick from a loop</h3>
        <Form.Check
          type="switch"
          id="kick-loop-on"
          className="text-nowrap"
          label="From the loop"
          checked={loop.on}
          onChange={() => set(loop.on ? "Play the loop's stroke" : "Kick from the loop", { on: !loop.on })}
        />
        <span className="soft">
          {loop.on
            ? `${strokes.length} strokes on the grid; dashed: may be one, how sure in %`
            : "the stroke cut out is played on the grid; it may be retuned and layered"}
        </span>
        <button
          type="button"
          className="btn btn-plain ms-auto"
          disabled={editor.busy !== null}
          onClick={() => read(loop.fit_bars)}
        >
          Read the kicks again
        </button>
      </div>
      <div className="d-flex gap-4 align-items-start">
        <div style={{ flex: 1 }}>
          <Ruler
            model="KickLoop"
            name="begin_ms"
            value={loop.begin_ms}
            onChange={(begin_ms, gesture) => set("Bar 1 of the loop", { begin_ms }, gesture)}
          />
        </div>
        <div style={{ flex: "0 0 180px" }}>
          <BarsChoice model="KickLoop" value={loop.fit_bars} onChange={(bars) => read(bars)} />
        </div>
      </div>
      {loop.on && <LoopStrokes />}
    </section>
  );
}
