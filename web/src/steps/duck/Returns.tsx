import { memo, useState } from "react";
import { figure } from "../../controls/figures";
import { OnDemand } from "../../controls/OnDemand";
import { ProposalTable } from "../../proposals/ProposalTable";
import { useProposals } from "../../proposals/useProposals";

/** Tight, even and late ways back that keep every guard, and a duck that spares the attack: measured, heard, taken. */
export const Returns = memo(function Returns({ part, beatMs }: { part: string; beatMs: number }) {
  const [open, setOpen] = useState(false);
  const { found, trouble, hear, take, heard, taken } = useProposals("returns", open, part);
  return (
    <OnDemand
      label="Ways back"
      title="How it comes back"
      hint="the same depth, returning tight, even or late against the off-beat"
      verb="Compare"
      open={open}
      onOpen={setOpen}
      found={found}
      doing="Making and measuring each…"
      failed="They could not be made"
      nothing="This part is not ducked: nothing comes back."
      trouble={trouble}
    >
      {(rows) => (
        <div style={{ overflowX: "auto" }}>
          <ProposalTable
            label="Ways back, measured"
            head="Return"
            wrap
            rows={rows}
            id={(one) => one.id}
            name={(one) => one.title}
            said={(one) => (
              <>
                <span className="soft"> {one.said}</span>
                {one.over.length > 0 && <span className="clash-text"> over: {one.over.join(", ")}</span>}
              </>
            )}
            columns={[
              {
                head: "Held, back",
                cell: (one) => `${figure(one.hold_ms, "ms").replace(" ms", "")}, ${figure(one.back_ms, "ms")}`,
              },
              { head: "Half back", cell: (one) => figure(one.half_back_beats * beatMs, "ms") },
              { head: "On the off-beat", cell: (one) => figure(one.off_beat_db, "dB") },
              { head: "Kick over it", cell: (one) => figure(one.clearance_db, "dB") },
              { head: "Attack left", cell: (one) => figure(one.attack_db, "dB") },
            ]}
            verb="Take"
            help="In place of the curve there is, as one step"
            heard={heard}
            taken={taken}
            onHear={(one) => hear(one.id)}
            onTake={(one) => take(one.id, one.title)}
          />
        </div>
      )}
    </OnDemand>
  );
});
