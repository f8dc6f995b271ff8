import { useEditor } from "./editor";
import { useSettled } from "./useSettled";

const RESTED_MS = 900;

/** Whether nothing has been touched for a while: what takes seconds waits until then. */
export function useRested(quietMs = RESTED_MS): boolean {
  const { settled, state } = useEditor();
  const fresh = settled === state;
  return useSettled(settled.revision, !fresh, quietMs) === settled.revision && fresh;
}
