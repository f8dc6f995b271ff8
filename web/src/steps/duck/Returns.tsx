import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../api/client";
import { figure } from "../../controls/figures";
import { OnDemand } from "../../controls/OnDemand";
import { useEditor } from "../../queries/editor";
import { returnsQuery } from "../../queries/queries";
import { useRested } from "../../queries/useRested";
import { HearAndTake } from "../separate/HearAndTake";
import { useHeard } from "../separate/useHeard";

/** Tight, even and late ways back that keep every guard, and a duck that spares the attack: measured, heard, taken. */
export function Returns({ part, beatMs }: { part: string; beatMs: number }) {
  const editor = useEditor();
  const { settled, state } = editor;
  const [open, setOpen] = useState(false);
  const fresh = settled === state;
  const rested = useRested();
  const found = useQuery({ ...returnsQuery(settled.id, settled.revision, part), enabled: open && rested });
  const [hear, trouble] = useHeard();
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
          <table className="plain" aria-label="Ways back, measured">
            <thead>
              <tr>
                <th>Return</th>
                <th>Held, back</th>
                <th>Half back</th>
                <th>On the off-beat</th>
                <th>Kick over it</th>
                <th>Attack left</th>
                <th />
              </tr>
            </thead>
            <tbody>
              {rows.map((one) => (
                <tr key={one.id}>
                  <td className="wrap">
                    <strong>{one.title}</strong>
                    <span className="soft"> {one.said}</span>
                    {one.over.length > 0 && <span className="clash-text"> over: {one.over.join(", ")}</span>}
                  </td>
                  <td className="mono">
                    {figure(one.hold_ms, "ms").replace(" ms", "")}, {figure(one.back_ms, "ms")}
                  </td>
                  <td className="mono">{figure(one.half_back_beats * beatMs, "ms")}</td>
                  <td className="mono">{figure(one.off_beat_db, "dB")}</td>
                  <td className="mono">{figure(one.clearance_db, "dB")}</td>
                  <td className="mono">{figure(one.attack_db, "dB")}</td>
                  <HearAndTake
                    name={one.title}
                    verb="Take"
                    help="In place of the curve there is, as one step"
                    heard={fresh}
                    taken={editor.busy === null && fresh}
                    onHear={() =>
                      hear(`return ${settled.id} ${settled.revision} ${part} ${one.id}`, () =>
                        api.duckWayLoop(settled.id, settled.revision, part, one.id),
                      )
                    }
                    onTake={() => editor.takeDuckWay(part, one.id, one.title)}
                  />
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </OnDemand>
  );
}
