import { createContext, type ReactNode, useCallback, useContext, useMemo, useState } from "react";
import { useEditor } from "../queries/editor";

/** One line of what was done, and how to take it back. */
export interface Notice {
  text: string;
  undo?: () => void;
  /** It can be taken back as long as this is the newest step. */
  step?: string;
}

interface Notices {
  notice: Notice | null;
  say: (notice: Notice | null) => void;
}

const NoticesContext = createContext<Notices | null>(null);

export function NoticesProvider({ children }: { children: ReactNode }) {
  const [notice, setNotice] = useState<Notice | null>(null);
  const say = useCallback((made: Notice | null) => setNotice(made), []);
  const value = useMemo(() => ({ notice, say }), [notice, say]);
  return <NoticesContext value={value}>{children}</NoticesContext>;
}

export function useNotices(): Notices {
  const found = useContext(NoticesContext);
  if (found === null) throw new Error("useNotices needs a NoticesProvider above it");
  return found;
}

/** The line itself; it stays until it is closed or the next one comes. */
export function NoticeLine() {
  const { notice, say } = useNotices();
  const { state } = useEditor();
  if (!notice) return null;
  const { text, step } = notice;
  // A step that left a computed duck behind has it fitted again in the same step, and says so after its own name.
  const undo = step === undefined || state.undo_label?.startsWith(step) ? notice.undo : undefined;
  return (
    <div className="banner said" role="status">
      <span>{text}</span>
      {undo && (
        <button
          type="button"
          className="btn btn-plain ms-auto"
          aria-label={step ? `Undo this: ${step}` : "Undo this"}
          onClick={() => {
            say(null);
            undo();
          }}
        >
          Undo
        </button>
      )}
      <button type="button" className={`btn btn-plain ${undo ? "" : "ms-auto"}`} onClick={() => say(null)}>
        Close
      </button>
    </div>
  );
}
