import { useEditor } from "../../queries/editor";

/** One press: what lies above the usual split is driven, the lows stay as they are. */
export function DriveHighs({ part }: { part: string }) {
  const editor = useEditor();
  return (
    <button
      type="button"
      className="btn btn-plain ms-auto text-nowrap"
      disabled={editor.busy !== null}
      title="One drive of what lies above the usual split, in phase with the rest: both can be moved afterwards"
      onClick={() => editor.send({ kind: "drive-highs", part, split_hz: null }, "Drive the highs")}
    >
      Clean lows, driven highs
    </button>
  );
}
