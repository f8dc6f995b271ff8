import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { LackingView, Part, Role } from "../../api/types";
import { Choice } from "../../controls/Choice";
import { figure } from "../../controls/figures";
import { useNotices } from "../../frame/notices";
import { useEditor } from "../../queries/editor";
import { lackingQuery } from "../../queries/queries";
import { soundRole, withHit } from "./pads";
import { useHeardHit } from "./useHeardHit";

type Lack = LackingView["lacks"][number];
const spanOf = (one: Lack) => `${figure(one.low_hz, "Hz")} to ${figure(one.high_hz, "Hz")}`;

/** What a hit lacks for its role, in figures, and the sounds that bring just that: cut to it, fitted, one undo away. */
export function Lacking({ one }: { one: Part }) {
  const editor = useEditor();
  const { trouble, hear } = useHeardHit(one);
  const { say } = useNotices();
  const { state } = editor;
  const [open, setOpen] = useState(false);
  const [asked, setRole] = useState<Role | null>(null);
  const [which, setWhich] = useState(0);
  const lacking = useQuery({
    ...lackingQuery(state.id, state.revision, one.id, asked, which),
    enabled: open,
    placeholderData: keepPreviousData,
    retry: false,
  });
  const found = lacking.isError ? undefined : lacking.data;
  const lack = found?.lacks[which];
  const role = asked ?? found?.role ?? soundRole(one.role);
  return (
    <section className="panel mt-2" aria-label={`What ${one.name} lacks`}>
      <div className="bench-head">
        <button type="button" className="btn btn-plain" aria-expanded={open} onClick={() => setOpen(!open)}>
          What does it lack?
        </button>
        {open && (
          <div style={{ width: 130 }}>
            <Choice
              label="As a"
              value={role}
              options={(found?.roles ?? [role]).map((value) => ({ value, label: value }))}
              onChange={(next) => {
                setRole(next);
                setWhich(0);
              }}
            />
          </div>
        )}
        {open && found && found.lacks.length > 0 && (
          <div style={{ width: 220 }}>
            <Choice
              label="What is missing"
              value={which}
              options={found.lacks.map((each, at) => ({ value: at, label: spanOf(each) }))}
              onChange={setWhich}
            />
          </div>
        )}
        <span className="soft small" role="status">
          {!open
            ? "Against recorded ones of its role, and which takes and engines bring just that"
            : lacking.isFetching
              ? "measuring and trying…"
              : lack
                ? `${spanOf(lack)} lies ${figure(lack.under_db, "dB")} under the least that recorded ones have.`
                : found && `Nothing: in every third octave it has what a recorded ${role} has.`}
        </span>
      </div>
      {open && (lacking.isError || trouble) && <p className="clash-text">{trouble ?? lacking.error?.message}</p>}
      {open && found && lack && found.brought.length === 0 && !lacking.isFetching && (
        <p className="soft">No sound here has anything there: load or record one.</p>
      )}
      {open && found && found.brought.length > 0 && (
        <table className="impacts" aria-label="Sounds that bring it, the best first">
          <thead className="soft small">
            <tr>
              <th>Sound</th>
              <th>Missing then</th>
              <th>Adds elsewhere</th>
              <th>Landing</th>
              <th>In mono</th>
              <th>Heard and added</th>
            </tr>
          </thead>
          <tbody>
            {found.brought.map((each) => (
              <tr key={each.name}>
                <td>{each.name}</td>
                <td className="mono">
                  {figure(lack?.under_db ?? 0, "dB")} → {figure(each.after_db, "dB")}
                </td>
                <td className="mono">{figure(each.elsewhere_db, "dB", { sign: true })}</td>
                <td className="mono">
                  {each.landing_cents == null ? "" : figure(each.landing_cents, "cents", { sign: true })}
                </td>
                <td className="mono">{each.fold_db == null ? "whole" : `${figure(-each.fold_db, "dB")} less`}</td>
                <td>
                  <span className="together">
                    <button type="button" className="btn btn-plain" onClick={() => hear(one.hit)}>
                      Without
                    </button>
                    <button type="button" className="btn btn-plain" onClick={() => hear(each.hit)}>
                      With
                    </button>
                    <button
                      type="button"
                      className="btn btn-plain"
                      disabled={editor.busy !== null || lacking.isPlaceholderData}
                      onClick={() => {
                        const label = `Add ${each.name} to ${one.name}`.slice(0, 78);
                        editor.edit(label, (track) =>
                          withHit(track, one.id, (now) => ({
                            ...now,
                            hit: { ...now.hit, layers: [...now.hit.layers, each.layer] },
                          })),
                        );
                        setWhich(0);
                        say({ text: `${each.name} is a layer of ${one.name} now.`, undo: editor.undo, step: label });
                      }}
                    >
                      Add it
                    </button>
                  </span>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}
