import { memo } from "react";
import type { Move } from "../../api/types";
import { figure } from "../../controls/figures";
import { Pending } from "../../controls/Pending";
import { ProposalTable, SHORT_DB } from "../../proposals/ProposalTable";
import { useProposals } from "../../proposals/useProposals";
import { useSeen } from "../../queries/useSeen";

const inWords = (move: Move) =>
  move.shape === "high-pass"
    ? `${move.slope_db} dB an octave at ${figure(move.frequency_hz, "Hz")}`
    : `${move.shape} ${figure(move.gain_db, "dB", { sign: true })} at ${figure(move.frequency_hz, "Hz")}`;

/** Where the bass owns the sub: a pass on the kick beside bells, and what of the kick each keeps. */
export const KickWays = memo(function KickWays() {
  const [at, seen] = useSeen<HTMLElement>();
  const { found, trouble, hear, take, heard, taken } = useProposals("kick-ways", seen);
  return (
    <section ref={at} aria-label="How the kick gives way">
      <div className="bench-head">
        <h3>How the kick gives way</h3>
        <span className="soft">the gentlest, lowest pass, beside bells and shelves; each made and measured</span>
      </div>
      {trouble && <p className="clash-text small mb-1">{trouble}</p>}
      <Pending found={found} doing="Planning both…" failed="This could not be planned" />
      {found.data?.length === 0 && <p className="soft small">Nothing needs to give way here.</p>}
      {found.data && found.data.length > 0 && (
        <ProposalTable
          label="What each way keeps of the kick"
          head="Way"
          wrap
          rows={found.data}
          id={(one) => one.id}
          name={(one) => one.title}
          said={(one) => <span className="soft"> {one.moves.map(inWords).join(", ")}</span>}
          columns={[
            { head: "Reaches", cell: (one) => figure(one.reached_db, "dB", { sign: true }) },
            { head: "Short by", cell: (one) => figure(one.short_db, "dB"), over: (one) => one.short_db > SHORT_DB },
            { head: "Punch", cell: (one) => figure(one.punch_db, "dB", { sign: true }) },
            {
              head: "Attack",
              cell: (one) => `${figure(one.attack_before_ms, "ms")} → ${figure(one.attack_ms, "ms")}`,
            },
            { head: "Kick loses", cell: (one) => figure(one.lost_lu, "LU") },
          ]}
          verb="Take"
          help="In place of the carve there is, as one step"
          heard={heard}
          taken={taken}
          onHear={(one) => hear(one.id)}
          onTake={(one) => take(one.id, one.title)}
        />
      )}
    </section>
  );
});
