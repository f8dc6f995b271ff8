import { useEditor } from "../../queries/editor";

const SPLIT_HZ = 220;

/** One press: what lies above the usual split is driven, the lows stay as they are. */
export function DriveHighs({ part }: { part: string }) {
  const editor = useEditor();
  return (
    <button
      type="button"
      className="btn btn-plain ms-auto text-nowrap"
      disabled={editor.busy !== null}
      title={`One drive above ${SPLIT_HZ} Hz, in phase with the rest: its split and drive can be moved afterwards`}
      onClick={() => editor.send({ kind: "drive-highs", part, split_hz: SPLIT_HZ }, "Drive the highs")}
    >
      Clean lows, driven highs
    </button>
  );
}
