import { NavLink } from "react-router";
import type { StepState } from "../api/types";
import { useEditor } from "../queries/editor";
import { useNotices } from "./notices";
import { stepsOf } from "./steps";

const SHOWN: Record<StepState["state"], string> = {
  "not begun": "–",
  "to look at": "",
  "to fix": "",
  done: "✓",
  ready: "",
};

/** The steps with their state: not begun, done, things to look at, things to fix. */
export function Steps({ states }: { states: StepState[] }) {
  const editor = useEditor();
  const { say } = useNotices();
  return (
    <nav className="steps" aria-label="Steps">
      {stepsOf(editor.track.carve.order).map((step, index) => {
        const now = states.find((one) => one.step === step.id);
        const state = now?.state ?? "ready";
        const said = now?.open ? `${now.open} ${state}` : state;
        const tone = state === "to fix" ? "clash-text" : state === "to look at" ? "" : "room-text";
        return (
          <NavLink key={step.id} to={step.path}>
            <span className="number mono">{index + 1}</span>
            <span className="word">{step.name}</span>
            {state !== "ready" && (
              <span
                className={`state ${state === "not begun" ? "soft" : tone}`}
                title={said}
                role="img"
                aria-label={said}
              >
                {now?.open || SHOWN[state]}
              </span>
            )}
          </NavLink>
        );
      })}
      <hr />
      <NavLink to="/takes" title="Every sound that was loaded: heard, its impacts found, cut and used">
        <i aria-hidden="true">◍</i>
        <span className="word">Takes</span>
      </NavLink>
      <NavLink to="/data" title="Where your tracks lie; put away, bring back, export, back up">
        <i aria-hidden="true">▤</i>
        <span className="word">Your data</span>
      </NavLink>
      <button
        type="button"
        onClick={editor.undo}
        disabled={!editor.state.undo_label}
        title={editor.state.undo_label ? `Undo: ${editor.state.undo_label}` : "Nothing to undo"}
      >
        <i aria-hidden="true">↶</i>
        <span className="word">Undo</span>
      </button>
      <button
        type="button"
        onClick={editor.redo}
        disabled={!editor.state.redo_label}
        title={editor.state.redo_label ? `Redo: ${editor.state.redo_label}` : "Nothing to redo"}
      >
        <i aria-hidden="true">↷</i>
        <span className="word">Redo</span>
      </button>
      <button
        type="button"
        onClick={() => {
          editor.startOver();
          say({
            text: `The untouched demo track stands in place of ${editor.track.name}.`,
            undo: editor.undo,
            step: "Start over",
          });
        }}
        title="Puts the untouched demo track in place of this one; undo brings this one back"
      >
        <i aria-hidden="true">⟲</i>
        <span className="word">Start over</span>
      </button>
    </nav>
  );
}
