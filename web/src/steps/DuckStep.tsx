import { Form } from "react-bootstrap";
import type { Duck, View } from "../api/types";
import { figure } from "../controls/figures";
import { ModelRulers } from "../controls/ModelRulers";
import { DuckPlot } from "../plots/DuckPlot";
import { useEditor } from "../queries/editor";
import { useDefinition } from "../queries/parameters";

/** A loop is never longer. */
const LONGEST_BEATS = 64;

/** The curve over one stroke, with the kick it makes room for and the notes it must not swallow. */
export function DuckStep({ view }: { view: View }) {
  const editor = useEditor();
  const definition = useDefinition("Duck");
  const { duck, sheet, limits } = editor.track;
  const figures = view.report.duck;
  const setDuck = (label: string, change: Partial<Duck>, gesture?: string) =>
    editor.edit(label, (track) => ({ ...track, duck: { ...track.duck, ...change } }), gesture);
  const beatMs = 60000 / sheet.bpm;
  return (
    <>
      <div className="bench-head">
        <h2>Duck</h2>
        <span className="soft">The bass moves away from the kick; the stroke that leaves least time is shown</span>
        <button
          type="button"
          className="btn btn-strong ms-auto"
          disabled={editor.busy !== null}
          onClick={() => editor.act("duck", "Compute the duck")}
        >
          Compute duck
        </button>
        <Form.Check
          type="switch"
          id="duck-on"
          label="Duck on"
          checked={duck.on}
          onChange={() => setDuck(duck.on ? "Duck off" : "Duck on", { on: !duck.on })}
        />
      </div>
      {view.duck ? (
        <DuckPlot
          picture={view.duck}
          duck={duck}
          beatMs={beatMs}
          onChange={(change, gesture) => setDuck("Duck curve", change, gesture)}
        />
      ) : (
        <p className="panel">{view.report.clearance.reason ?? "There is nothing to duck for."}</p>
      )}
      <div className="mt-2">
        <ModelRulers
          model="Duck"
          values={duck}
          tone="room"
          onChange={(name, value, gesture) =>
            setDuck(`Duck: ${definition[name]?.title ?? name}`, { [name]: value }, gesture)
          }
        />
      </div>
      <div className="d-flex gap-3 align-items-end mt-3">
        <div className="field" style={{ width: 190 }}>
          <label htmlFor="recovery">Recovery point in beats after the kick</label>
          <Form.Control
            id="recovery"
            size="sm"
            type="number"
            min={0.05}
            max={LONGEST_BEATS}
            step={0.05}
            placeholder="from the pattern"
            value={duck.recovery_beats ?? ""}
            onChange={(event) => {
              const value = event.target.value === "" ? null : Number(event.target.value);
              if (value === null || (value > 0 && value <= LONGEST_BEATS))
                setDuck("Recovery point", { recovery_beats: value }, "recovery");
            }}
          />
        </div>
        <span className="soft small">
          Empty: the first bass note after the kick's active part, else 85 % of the way to the next kick.
          {view.duck && (
            <>
              {" "}
              Here that is <span className="mono">{figure(view.duck.recovery_ms, "ms")}</span>,{" "}
              <span className="mono">{figure(view.duck.recovery_ms / beatMs, "beats")}</span>.
            </>
          )}
        </span>
      </div>
      <div className="bench-head">
        <h3>What it may do wrong</h3>
      </div>
      <div className="figures">
        <Guard label="start click" value={figures.start_click_db} unit="dB" limit={limits.start_click_db} />
        <Guard
          label="low-note distortion"
          value={figures.low_note_distortion_db}
          unit="dB"
          limit={limits.low_note_distortion_db}
        />
        <Guard label="down at the next kick" value={figures.pile_up_db} unit="dB" limit={limits.pile_up_db} />
        <Guard label="notes not back in time" value={figures.late_notes.length} unit="notes" limit={0} />
        <Guard label="range of the gain" value={figures.pumping_db} unit="dB" limit={null} />
      </div>
    </>
  );
}

function Guard({
  label,
  value,
  unit,
  limit,
}: {
  label: string;
  value: number | null;
  unit: string;
  limit: number | null;
}) {
  const over = value !== null && limit !== null && value > limit;
  const text = unit === "notes" ? String(value ?? 0) : figure(value, unit);
  return (
    <div>
      <span className="soft">{label}</span>
      <span className={`mono ${over ? "clash-text" : ""}`}>{text}</span>
      {limit !== null && (
        <span className="soft">
          limit {unit === "notes" ? limit : figure(limit, unit)}
          {over ? ", over" : ""}
        </span>
      )}
    </div>
  );
}
