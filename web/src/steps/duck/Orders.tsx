import { memo, useState } from "react";
import { figure } from "../../controls/figures";
import { OnDemand } from "../../controls/OnDemand";
import { ProposalTable, SHORT_DB } from "../../proposals/ProposalTable";
import { useProposals } from "../../proposals/useProposals";

/** Carve first or duck first: what each order of work needs of both, measured, heard, taken. */
export const Orders = memo(function Orders() {
  const [open, setOpen] = useState(false);
  const { found, trouble, hear, take, heard, taken } = useProposals("orders", open);
  return (
    <OnDemand
      label="Orders of work"
      title="Carve first or duck first"
      hint="what each order needs of the bass to reach the goal"
      verb="Weigh"
      asks="Weigh the orders"
      open={open}
      onOpen={setOpen}
      found={found}
      doing="Planning and measuring each…"
      failed="They could not be weighed"
      nothing="Kick and bass do not meet: nothing to weigh."
      trouble={trouble}
    >
      {(rows) => (
        <ProposalTable
          label="Orders of work, measured"
          head="Order"
          wrap
          rows={rows}
          id={(one) => one.id}
          name={(one) => one.title}
          said={(one) => one.over.length > 0 && <span className="clash-text"> over: {one.over.join(", ")}</span>}
          columns={[
            { head: "Duck", cell: (one) => figure(one.duck_db, "dB") },
            { head: "Deepest cut", cell: (one) => figure(one.deepest_cut_db, "dB") },
            { head: "Yielder loses", cell: (one) => figure(one.lost_lu, "LU") },
            {
              head: "Reaches",
              cell: (one) => figure(one.reached_db, "dB", { sign: true }),
              over: (one) => one.short_db > SHORT_DB,
            },
          ]}
          verb="Take"
          help="Carve and duck in place of those there are, as one step"
          heard={heard}
          taken={taken}
          onHear={(one) => hear(one.id)}
          onTake={(one) => take(one.id, one.title)}
        />
      )}
    </OnDemand>
  );
});
