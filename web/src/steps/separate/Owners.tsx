import type { SeparateSheet } from "../../api/types";
import { figure, prettyText } from "../../controls/figures";
import { Pending } from "../../controls/Pending";
import { OWNERS } from "../../frame/TopBar";
import { ProposalTable } from "../../proposals/ProposalTable";
import { useProposals } from "../../proposals/useProposals";
import { useSeen } from "../../queries/useSeen";

/** What each owner of the sub would cost for these sounds, planned and measured; heard, and chosen with its plan. */
export function Owners({ leans }: { leans: SeparateSheet["leans"] }) {
  // Four plans take a moment: they wait until they are looked at and nothing has been touched for a while.
  const [at, seen] = useSeen<HTMLElement>();
  const { editor, found, trouble, hear, take, heard, taken } = useProposals("owners", seen);
  const own = editor.state.track.sheet.owner;
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
      <Pending found={found} doing="Planning all four…" failed="This could not be planned" />
      {found.data && (
        <ProposalTable
          label="What each owner costs"
          head="Owner"
          rows={found.data}
          id={(one) => one.owner}
          name={(one) => OWNERS[one.owner] ?? one.owner}
          said={(one) => (
            <>
              {one.owner === own && <span className="soft"> now</span>}
              {one.reason && <span className="clash-text"> {one.reason}</span>}
            </>
          )}
          columns={[
            { head: "Goal", cell: (one) => figure(one.goal_db, "dB", { sign: true }) },
            { head: "Reaches", cell: (one) => figure(one.reached_db, "dB", { sign: true }) },
            { head: "Deepest cut", cell: (one) => figure(one.deepest_cut_db, "dB") },
            { head: "Yielder loses", cell: (one) => figure(one.lost_lu, "LU") },
            { head: "Low / middle", cell: (one) => figure(one.low_middle_db, "dB", { sign: true }) },
            { head: "Notes apart", cell: (one) => figure(one.spread_lu, "LU", { sign: true }) },
            { head: "Duck", cell: (one) => figure(one.duck_db, "dB") },
            { head: "Peak", cell: (one) => figure(one.peak_db, "dBFS") },
          ]}
          verb="Choose"
          help="Carve and duck are planned for it, as one step"
          heard={heard}
          taken={taken}
          hearable={(one) => one.reached_db !== null}
          onHear={(one) => hear(one.owner)}
          onTake={(one) => take(one.owner, "Sub owner, planned")}
        />
      )}
    </section>
  );
}
