import { KICK, kickOf, withPart } from "../../api/parts";
import { useEditor } from "../../queries/editor";

/** What is heard of this bench while the kick comes as a loop. */
export function AsLoop() {
  const editor = useEditor();
  const { processed } = kickOf(editor.track).loop;
  const set = (label: string, change: { on?: boolean; processed?: boolean }) =>
    editor.edit(label, (track) => withPart(track, KICK, (one) => ({ ...one, loop: { ...one.loop, ...change } })));
  return (
    <p className={`small mb-1 ${processed ? "soft" : "clash-text"}`}>
      {processed
        ? "The kick comes as a loop: it is heard through the layer of its recording and the bus, and every other layer is struck with it. Pictures and pitch are of the one stroke that was cut out. "
        : "The kick comes as a loop and is heard as it was recorded: this stroke of it is measured, and nothing that is changed here is heard. "}
      {!processed && (
        <button
          type="button"
          className="btn btn-plain"
          onClick={() => set("The loop through its layers", { processed: true })}
        >
          Hear it through its layers
        </button>
      )}{" "}
      <button type="button" className="btn btn-plain" onClick={() => set("Play the loop's stroke", { on: false })}>
        Play the stroke
      </button>
    </p>
  );
}
