import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../api/client";
import { figure } from "../../controls/figures";
import { OnDemand } from "../../controls/OnDemand";
import { useEditor } from "../../queries/editor";
import { ordersQuery } from "../../queries/queries";
import { useRested } from "../../queries/useRested";
import { HearAndTake } from "../separate/HearAndTake";
import { useHeard } from "../separate/useHeard";
import { BASS } from "./duckedParts";

/** Carve first or duck first: what each order of work needs of both, measured, heard, taken. */
export function Orders() {
  const editor = useEditor();
  const { settled, state } = editor;
  const [open, setOpen] = useState(false);
  const fresh = settled === state;
  const rested = useRested();
  const found = useQuery({ ...ordersQuery(settled.id, settled.revision), enabled: open && rested });
  const [hear, trouble] = useHeard();
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
        <table className="plain" aria-label="Orders of work, measured">
          <thead>
            <tr>
              <th>Order</th>
              <th>Duck</th>
              <th>Deepest cut</th>
              <th>Yielder loses</th>
              <th>Reaches</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {rows.map((one) => (
              <tr key={one.id}>
                <td className="wrap">
                  <strong>{one.title}</strong>
                  {one.over.length > 0 && <span className="clash-text"> over: {one.over.join(", ")}</span>}
                </td>
                <td className="mono">{figure(one.duck_db, "dB")}</td>
                <td className="mono">{figure(one.deepest_cut_db, "dB")}</td>
                <td className="mono">{figure(one.lost_lu, "LU")}</td>
                <td className={one.short_db > 0.1 ? "mono clash-text" : "mono"}>
                  {figure(one.reached_db, "dB", { sign: true })}
                </td>
                <HearAndTake
                  name={one.title}
                  verb="Take"
                  help="Carve and duck in place of those there are, as one step"
                  heard={fresh}
                  taken={editor.busy === null && fresh}
                  onHear={() =>
                    hear(`order ${settled.id} ${settled.revision} ${one.id}`, () =>
                      api.duckWayLoop(settled.id, settled.revision, BASS, one.id),
                    )
                  }
                  onTake={() => editor.takeDuckWay(BASS, one.id, one.title)}
                />
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </OnDemand>
  );
}
