import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { BASS } from "../../api/parts";
import { figure, inBars } from "../../controls/figures";
import { Pending } from "../../controls/Pending";
import { SHORT_DB } from "../../proposals/ProposalTable";
import { useEditor } from "../../queries/editor";
import { useMost } from "../../queries/parameters";
import { lowGroupQuery } from "../../queries/queries";
import { useRested } from "../../queries/useRested";
import { partName } from "../duck/duckedParts";
import { earlier, type Low, withPart } from "./lowGroup";

/** Several low parts at once: who has the room, how far each is over who gives way to it, and the cuts that make room. */
export function LowGroup() {
  const editor = useEditor();
  const { settled, track } = editor;
  const low = track.low_group;
  const [open, setOpen] = useState(low.parts.length > 0);
  const most = useMost("LowGroup", "parts");
  const rested = useRested();
  const enough = settled.track.low_group.parts.length >= 2;
  const found = useQuery({
    ...lowGroupQuery(settled.id, settled.revision),
    placeholderData: keepPreviousData,
    enabled: open && enough && rested,
  });
  const ready = settled === editor.state && !found.isPlaceholderData && editor.busy === null;
  const group = enough && low.parts.length >= 2 ? found.data : undefined;
  const set = (label: string, change: (now: Low) => Low) =>
    editor.edit(label, (now) => ({ ...now, low_group: change(now.low_group) }));
  const all = track.parts.map((one) => one.id);
  return (
    <section aria-label="Low group">
      <div className="bench-head">
        <h3>Low group</h3>
        <span className="soft">several low parts at once: who has the room, zone by zone</span>
        <button
          type="button"
          className="btn btn-plain ms-auto"
          aria-expanded={open}
          aria-label={open ? "Close: Low group" : undefined}
          onClick={() => {
            setOpen(!open);
            if (!open && low.parts.length === 0)
              set("Low group of kick and bass", (now) => ({ ...now, parts: ["kick", BASS] }));
          }}
        >
          {open ? "Close" : "Choose low parts"}
        </button>
      </div>
      {open && (
        <>
          <fieldset className="d-flex flex-wrap gap-3 mb-1">
            <legend className="visually-hidden">Parts of the low group</legend>
            {all.map((part) => (
              <Form.Check
                key={part}
                type="checkbox"
                id={`low-${part}`}
                label={partName(track, part)}
                checked={low.parts.includes(part)}
                disabled={!low.parts.includes(part) && low.parts.length >= most}
                onChange={({ target }) => {
                  const { checked } = target;
                  set(`Low group ${checked ? "with" : "without"} ${partName(track, part)}`, (now) =>
                    withPart(now, part, checked),
                  );
                }}
              />
            ))}
          </fieldset>
          <p className="soft small mb-2">
            In this order they have the room:{" "}
            {low.parts.map((part, index) => (
              <span key={part} className="text-nowrap me-2">
                {index + 1}. {partName(track, part)}{" "}
                {index > 0 && (
                  <button
                    type="button"
                    className="btn btn-plain"
                    aria-label={`${partName(track, part)} earlier`}
                    onClick={() => set(`${partName(track, part)} earlier`, (now) => earlier(now, part))}
                  >
                    ↑
                  </button>
                )}
              </span>
            ))}
            {low.parts.length < 2 && "tick two or more."}
          </p>
          {low.parts.length >= 2 && (
            <Pending found={found} doing="Comparing the low parts…" failed="They could not be compared" />
          )}
          {group && (
            <>
              <div className="d-flex gap-3 align-items-center mb-1">
                <span className="mono small">
                  All of them: peak {figure(group.peak_dbtp, "dBTP")}
                  {group.mono_db !== null && `, in mono ${figure(group.mono_db, "dB", { sign: true })}`}
                </span>
                <button
                  type="button"
                  className="btn btn-plain ms-auto"
                  disabled={!ready}
                  title="The least bell on who gives way, wherever one is short; kick and bass are left to carve and duck"
                  onClick={() => editor.send({ kind: "low-group" }, "Separate the low group")}
                >
                  Cut where it is short
                </button>
              </div>
              <table className="plain" aria-label="The low group zone by zone">
                <thead>
                  <tr>
                    <th>Zone</th>
                    <th>Has it</th>
                    <th>Gives way</th>
                    <th>Over it</th>
                    <th>Goal</th>
                    <th>Together</th>
                    <th>Worst at</th>
                    <th>
                      <span className="visually-hidden">Acts</span>
                    </th>
                  </tr>
                </thead>
                <tbody>
                  {group.rows.map((one) => (
                    <tr key={`${one.owner} ${one.yielder} ${one.zone}`}>
                      <td>{one.zone}</td>
                      <td>{one.owner_name}</td>
                      <td>{one.yielder_name}</td>
                      <td className={one.short_db > SHORT_DB ? "mono clash-text" : "mono"}>
                        {figure(one.clearance_db, "dB", { sign: true })}
                      </td>
                      <td className="mono">{figure(one.goal_db, "dB", { sign: true })}</td>
                      <td className="mono">{figure(one.together_pct, "%")}</td>
                      <td className="mono">{one.worst_beats === null ? "–" : inBars(one.worst_beats)}</td>
                      <td className="text-end text-nowrap">
                        {one.short_db > SHORT_DB && one.owner === "kick" && (
                          <button
                            type="button"
                            className="btn btn-plain"
                            disabled={!ready}
                            aria-label={`Duck ${one.yielder_name} under the kick, ${one.zone}`}
                            onClick={() =>
                              editor.send(
                                one.yielder === BASS ? { kind: "duck" } : { kind: "new-duck", part: one.yielder },
                                `Duck ${one.yielder_name}`,
                              )
                            }
                          >
                            Duck it
                          </button>
                        )}{" "}
                        <button
                          type="button"
                          className="btn btn-plain"
                          disabled={!ready}
                          aria-label={`Give ${one.zone} to ${one.yielder_name} over ${one.owner_name}`}
                          onClick={() =>
                            editor.send(
                              { kind: "give-zone", owner: one.yielder, yielder: one.owner, zone: one.zone },
                              `${one.yielder_name} over ${one.owner_name} in ${one.zone}`,
                            )
                          }
                        >
                          The other way round
                        </button>
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
              {group.rows.length === 0 && <p className="soft small">They do not meet in the low end.</p>}
              <table className="plain mt-2" aria-label="How every two low parts add up">
                <thead>
                  <tr>
                    <th>Together</th>
                    <th title="Level of their sum re the sum of their levels in the low band; 0 is perfect">
                      Adds up
                    </th>
                    <th>At best</th>
                    <th>By</th>
                    <th>
                      <span className="visually-hidden">Acts</span>
                    </th>
                  </tr>
                </thead>
                <tbody>
                  {group.pairs.map((one) => (
                    <tr key={`${one.one} ${one.other}`}>
                      <td>
                        {one.one_name} and {one.other_name}
                      </td>
                      <td className="mono">{figure(one.summing_db, "dB", { sign: true })}</td>
                      <td className="mono">{figure(one.best_summing_db, "dB", { sign: true })}</td>
                      <td className="mono">
                        {one.best_shift_ms === null
                          ? "–"
                          : `${figure(one.best_shift_ms, "ms", { sign: true })}${one.best_inverted ? ", turned over" : ""}`}
                      </td>
                      <td className="text-end">
                        {one.worth && (
                          <button
                            type="button"
                            className="btn btn-plain"
                            disabled={!ready}
                            aria-label={`Line up ${one.one_name} and ${one.other_name}`}
                            title={`${one.other === "kick" ? one.one_name : one.other_name} is moved or turned over; the kick stays`}
                            onClick={() =>
                              editor.send({ kind: "align-low", one: one.one, other: one.other }, "Line up two parts")
                            }
                          >
                            Line up
                          </button>
                        )}
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </>
          )}
        </>
      )}
    </section>
  );
}
