import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../api/client";
import { figure } from "../../controls/figures";
import { OnDemand } from "../../controls/OnDemand";
import { ProposalTable, SHORT_DB } from "../../proposals/ProposalTable";
import { useProposals } from "../../proposals/useProposals";
import { waysQuery } from "../../queries/queries";

/** The same clearance by EQ, by ducking, by notes, by a shorter kick: what each costs, heard, and taken as one step. */
export function Ways() {
  const { editor, settled, rested, trouble, hear, heard, taken } = useProposals("way");
  const [open, setOpen] = useState(false);
  const found = useQuery({ ...waysQuery(settled.id, settled.revision), enabled: open && rested });
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
          onHear={(one) => hear(one.id, () => api.wayLoop(settled.id, settled.revision, one.id))}
          onTake={(one) => editor.takeWay(one.id, one.title)}
        />
      )}
    </OnDemand>
  );
}
