import { NavLink } from "react-router";
import type { Finding } from "../api/types";
import { useEditor } from "../queries/editor";
import { stepsOf } from "./steps";

/** The steps with their state: done, things to look at, things to fix. */
export function Steps({ findings }: { findings: Finding[] }) {
  const editor = useEditor();
  return (
    <nav className="steps" aria-label="Steps">
      {stepsOf(editor.track.carve.order).map((step, index) => {
        const open = findings.filter((one) => one.step === step.id && !one.intended && one.severity !== "note");
        const fixes = open.filter((one) => one.severity === "fix").length;
        const said = fixes
          ? `${fixes} to fix`
          : open.length
            ? `${open.length} to look at`
            : step.id === "deliver"
              ? ""
              : "done";
        return (
          <NavLink key={step.id} to={step.path}>
            <span className="number mono">{index + 1}</span>
            <span className="word">{step.name}</span>
            {said && (
              <span
                className={`state ${fixes ? "clash-text" : open.length ? "kick-text" : "room-text"}`}
                title={said}
                role="img"
                aria-label={said}
              >
                {open.length ? open.length : "✓"}
              </span>
            )}
          </NavLink>
        );
      })}
      <hr />
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
      <button type="button" onClick={editor.startOver} title="The untouched demo track; undo brings this one back">
        <i aria-hidden="true">⟲</i>
        <span className="word">Start over</span>
      </button>
    </nav>
  );
}
