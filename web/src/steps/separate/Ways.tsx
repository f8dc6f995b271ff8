import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../api/client";
import { figure } from "../../controls/figures";
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
    <section aria-label="Ways to the goal">
      <div className="bench-head">
        <h3>Ways to the goal</h3>
        <span className="soft">each alone, in place of the carve and duck there are; the goal is the owner's</span>
        <button
          type="button"
          className="btn btn-plain ms-auto"
          aria-expanded={open}
          onClick={() => setOpen((now) => !now)}
        >
          {open ? "Close" : "Weigh them"}
        </button>
      </div>
      {trouble && <p className="clash-text small mb-1">{trouble}</p>}
      {open && found.isError && <p className="clash-text small">They could not be weighed: {found.error.message}</p>}
      {open && !found.data && !found.isError && <p className="soft small">Making and measuring each…</p>}
      {open && found.data?.length === 0 && <p className="soft small">Nothing needs to give way here.</p>}
      {open && !!found.data?.length && (
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
            {found.data.map((one) => (
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
    </section>
  );
}
