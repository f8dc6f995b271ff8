import { memo, useState } from "react";
import { figure } from "../../controls/figures";
import { OnDemand } from "../../controls/OnDemand";
import { ProposalTable, SHORT_DB } from "../../proposals/ProposalTable";
import { useProposals } from "../../proposals/useProposals";

/** The same clearance by EQ, by ducking, by notes, by a shorter kick: what each costs, heard, and taken as one step. */
export const Ways = memo(function Ways() {
  const [open, setOpen] = useState(false);
  const { found, trouble, hear, take, heard, taken } = useProposals("ways", open);
  return (
    <OnDemand
      label="Ways to the goal"
      title="Ways to the goal"
      hint="each alone, in place of the carve and duck there are; the goal is the owner's"
      verb="Weigh them"
      open={open}
      onOpen={setOpen}
      found={found}
      doing="Making and measuring each…"
      failed="They could not be weighed"
      nothing="Nothing needs to give way here."
      trouble={trouble}
    >
      {(rows) => (
        <ProposalTable
          label="What each way costs"
          head="Way"
          rows={rows}
          id={(one) => one.id}
          name={(one) => one.title}
          columns={[
            { head: "How much", cell: (one) => figure(one.amount, one.unit) },
            { head: "Reaches", cell: (one) => figure(one.reached_db, "dB", { sign: true }) },
            { head: "Short by", cell: (one) => figure(one.short_db, "dB"), over: (one) => one.short_db > SHORT_DB },
            { head: "Yielder loses", cell: (one) => figure(one.lost_lu, "LU") },
          ]}
          verb="Take"
          help="In place of the carve and duck there are, as one step"
          heard={heard}
          taken={taken}
          onHear={(one) => hear(one.id)}
          onTake={(one) => take(one.id, one.title)}
        />
      )}
    </OnDemand>
  );
});
