import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../api/client";
import { figure } from "../../controls/figures";
import { OnDemand } from "../../controls/OnDemand";
import { useEditor } from "../../queries/editor";
import { waysQuery } from "../../queries/queries";
import { HearAndTake } from "./HearAndTake";
import { useHeard } from "./useHeard";

/** The same clearance by EQ, by ducking, by notes, by a shorter kick: what each costs, heard, and taken as one step. */
export function Ways({ fresh }: { fresh: boolean }) {
  const editor = useEditor();
  const { settled } = editor;
  const [open, setOpen] = useState(false);
  const found = useQuery({ ...waysQuery(settled.id, settled.revision), enabled: open && fresh });
  const [hear, trouble] = useHeard();
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
        <table className="plain" aria-label="What each way costs">
          <thead>
            <tr>
              <th>Way</th>
              <th>How much</th>
              <th>Reaches</th>
              <th>Short by</th>
              <th>Yielder loses</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {rows.map((one) => (
              <tr key={one.id}>
                <td>
                  <strong>{one.title}</strong>
                </td>
                <td className="mono">{figure(one.amount, one.unit)}</td>
                <td className="mono">{figure(one.reached_db, "dB", { sign: true })}</td>
                <td className={one.short_db > 0.1 ? "mono clash-text" : "mono"}>{figure(one.short_db, "dB")}</td>
                <td className="mono">{figure(one.lost_lu, "LU")}</td>
                <HearAndTake
                  name={one.title}
                  verb="Take"
                  help="In place of the carve and duck there are, as one step"
                  heard={fresh}
                  taken={editor.busy === null && fresh}
                  onHear={() =>
                    hear(`way ${settled.id} ${settled.revision} ${one.id}`, () =>
                      api.wayLoop(settled.id, settled.revision, one.id),
                    )
                  }
                  onTake={() => editor.takeWay(one.id, one.title)}
                />
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </OnDemand>
  );
}
