import type { View } from "../api/types";
import { figure, pretty } from "../controls/figures";
import { PitchPath } from "../plots/PitchPath";
import { useEditor } from "../queries/editor";

const VERDICTS: Record<string, string> = {
  firm: "Firm: enough steady cycles to trust the note.",
  uncertain: "Uncertain: read the note with its margin.",
  none: "No pitch: nothing repeats steadily enough to be a note.",
};

/** Where the kick lands, where it could land, and what the bass plays against it. */
export function TuneStep({ view }: { view: View }) {
  const editor = useEditor();
  const { kick, tuning, bass_notes_hz, beating } = view.report;
  return (
    <>
      <div className="bench-head">
        <h2>Tune</h2>
        <span className="soft">Measured on the rendered kick, not read from its settings</span>
      </div>
      {kick === null || kick.landing_hz === null ? (
        <div className="panel">
          <p className="mb-1">
            {kick === null ? "There is no kick to measure: add a layer under Hits." : VERDICTS.none}
          </p>
          {kick && (
            <p className="soft mb-0">
              A longer body or tail, or a shorter sweep, gives the ear something to hold on to.
            </p>
          )}
        </div>
      ) : (
        <>
          <div className="figures mb-2">
            <Figure
              label="lands on"
              value={`${pretty(tuning?.landing_note ?? "")} ${figure(kick.cents, "ct", { sign: true })}`}
            />
            <Figure label="frequency" value={figure(kick.landing_hz, "Hz")} />
            <Figure label="margin" value={`±${figure(kick.uncertainty_cents, "ct")}`} />
            <Figure label="heard as" value={figure(kick.heard_hz, "Hz")} />
            <Figure label="sweep" value={`${figure(kick.sweep_semitones, "st")} in ${figure(kick.sweep_ms, "ms")}`} />
            <Figure label="cycles heard" value={figure(kick.cycles, "x").replace(" x", "")} />
          </div>
          <p className="soft">{VERDICTS[kick.verdict]}</p>
          {view.path && <PitchPath path={view.path} landingHz={kick.landing_hz} rungs={view.strip.rungs} />}
        </>
      )}
      {tuning && (
        <>
          <div className="bench-head">
            <h3>Targets in the key</h3>
          </div>
          <table className="plain" aria-label="Targets">
            <thead>
              <tr>
                <th>Note</th>
                <th>Frequency</th>
                <th>Move</th>
                <th>Why</th>
                <th />
              </tr>
            </thead>
            <tbody>
              {tuning.targets.map((target) => (
                <tr key={target.number}>
                  <td>
                    <strong>{pretty(target.note)}</strong>
                  </td>
                  <td className="mono">{figure(target.frequency_hz, "Hz")}</td>
                  <td className="mono">{figure(target.shift_cents, "ct", { sign: true })}</td>
                  <td className="soft">{target.reason}</td>
                  <td className="text-end">
                    <button
                      type="button"
                      className="btn btn-plain"
                      disabled={editor.busy !== null || Math.abs(target.shift_cents) < 0.5}
                      aria-label={`Land on ${pretty(target.note)}`}
                      onClick={() => editor.land(target.frequency_hz, pretty(target.note))}
                    >
                      {Math.abs(target.shift_cents) < 0.5 ? "there" : "Land here"}
                    </button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
      <div className="bench-head">
        <h3>Against the bass</h3>
        <span className="soft">
          {beating
            ? `strongest beating: ${figure(Math.abs(beating.kick_hz - beating.bass_hz), "Hz")} apart, ${figure(beating.beats_heard, "beats")} heard`
            : "no pair of partials beats audibly"}
        </span>
      </div>
      <div className="figures">
        {Object.entries(bass_notes_hz).map(([name, hz]) => (
          <Figure key={name} label={pretty(name)} value={figure(hz, "Hz")} />
        ))}
      </div>
    </>
  );
}

function Figure({ label, value }: { label: string; value: string }) {
  return (
    <div>
      <span className="soft">{label}</span>
      <span className="mono">{value}</span>
    </div>
  );
}
