import { useQuery } from "@tanstack/react-query";
import { api } from "../../api/client";
import type { SeparateSheet } from "../../api/types";
import { figure, prettyText } from "../../controls/figures";
import { OWNERS } from "../../frame/TopBar";
import { useEditor } from "../../queries/editor";
import { ownersQuery } from "../../queries/queries";
import { useRested } from "../../queries/useRested";
import { useSeen } from "../../queries/useSeen";
import { HearAndTake } from "./HearAndTake";
import { useHeard } from "./useHeard";

/** What each owner of the sub would cost for these sounds, planned and measured; heard, and chosen with its plan. */
export function Owners({ leans, fresh }: { leans: SeparateSheet["leans"]; fresh: boolean }) {
  const editor = useEditor();
  const { settled } = editor;
  // Four plans take a moment: they wait until they are looked at and nothing has been touched for a while.
  const rested = useRested();
  const [at, seen] = useSeen<HTMLElement>();
  const found = useQuery({ ...ownersQuery(settled.id, settled.revision), enabled: rested && seen });
  const [hear, trouble] = useHeard();
  const own = editor.track.sheet.owner;
  return (
    <section ref={at} aria-label="Owners of the sub">
      <div className="bench-head">
        <h3>Who owns the sub</h3>
        <span className="soft">
          what each would cost with these sounds: carve and duck planned, rendered, measured
        </span>
      </div>
      {leans.map((one) => (
        <p key={one.reason} className="small soft mb-1">
          <strong>{OWNERS[one.owner]}</strong>: {prettyText(one.reason)} (common practice)
        </p>
      ))}
      {trouble && <p className="clash-text small mb-1">{trouble}</p>}
      {found.isError && <p className="clash-text small">This could not be planned: {found.error.message}</p>}
      {!found.data && !found.isError && <p className="soft small">Planning all four…</p>}
      {found.data && (
        <table className="plain" aria-label="What each owner costs">
          <thead>
            <tr>
              <th>Owner</th>
              <th>Goal</th>
              <th>Reaches</th>
              <th>Deepest cut</th>
              <th>Yielder loses</th>
              <th>Low / middle</th>
              <th>Notes apart</th>
              <th>Duck</th>
              <th>Peak</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {found.data.map((one) => (
              <tr key={one.owner}>
                <td>
                  <strong>{OWNERS[one.owner]}</strong>
                  {one.owner === own && <span className="soft"> now</span>}
                  {one.reason && <span className="clash-text"> {one.reason}</span>}
                </td>
                <td className="mono">{figure(one.goal_db, "dB", { sign: true })}</td>
                <td className="mono">{figure(one.reached_db, "dB", { sign: true })}</td>
                <td className="mono">{figure(one.deepest_cut_db, "dB")}</td>
                <td className="mono">{figure(one.lost_lu, "LU")}</td>
                <td className="mono">{figure(one.low_middle_db, "dB", { sign: true })}</td>
                <td className="mono">{figure(one.spread_lu, "LU", { sign: true })}</td>
                <td className="mono">{figure(one.duck_db, "dB")}</td>
                <td className="mono">{figure(one.peak_db, "dBFS")}</td>
                <HearAndTake
                  name={OWNERS[one.owner] ?? one.owner}
                  verb="Choose"
                  help="Carve and duck are planned for it, as one step"
                  heard={fresh && one.reached_db !== null}
                  taken={editor.busy === null && fresh}
                  onHear={() =>
                    hear(`owner ${settled.id} ${settled.revision} ${one.owner}`, () =>
                      api.ownerLoop(settled.id, settled.revision, one.owner),
                    )
                  }
                  onTake={() => editor.own(one.owner)}
                />
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}
