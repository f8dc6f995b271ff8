import { useEditor } from "../queries/editor";
import { useRested } from "../queries/useRested";
import { useHeard } from "./useHeard";

/** What every list of proposals needs: the revision it is about, when it may be asked for, heard and taken. */
export function useProposals(kind: string) {
  const editor = useEditor();
  const { settled, state } = editor;
  const fresh = settled === state;
  const rested = useRested();
  const [strike, trouble] = useHeard();
  return {
    editor,
    settled,
    rested,
    trouble,
    /** Whether what is listed is about the track as it is. */
    heard: fresh,
    taken: editor.busy === null && fresh,
    hear: (id: string, get: () => Promise<ArrayBuffer>) =>
      strike(`${kind} ${settled.id} ${settled.revision} ${id}`, get),
  };
}
