import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import type { Making, MoveId, Part, Role } from "../../api/types";
import { Choice } from "../../controls/Choice";
import { figure } from "../../controls/figures";
import { useWidth } from "../../plots/useWidth";
import { useEditor } from "../../queries/editor";
import { madeQuery } from "../../queries/queries";
import { MadeBands } from "./MadeBands";
import { aRole, soundRole } from "./pads";
import { useHeardHit } from "./useHeardHit";
import "./makeIt.css";

/** A recorded hit made to serve as a role: every move it needs with its amount, switched, heard before and after, taken. */
export function MakeIt({ one }: { one: Part }) {
  const editor = useEditor();
  const { trouble, hear } = useHeardHit(one);
  const { state } = editor;
  const [open, setOpen] = useState(false);
  const [role, setRole] = useState<Role>(soundRole(one.role));
  const [off, setOff] = useState<MoveId[]>([]);
  const [follow, width] = useWidth(640);
  const made = useQuery({
    ...madeQuery(state.id, state.revision, one.id, role, off),
    enabled: open,
    placeholderData: keepPreviousData,
    retry: false,
  });
  const found = made.data;
  const needed = found?.moves.filter((move) => move.needed) ?? [];
  return (
    <section className="panel mt-2" aria-label={`Make ${one.name} serve`}>
      <div className="bench-head">
        <button type="button" className="btn btn-plain" aria-expanded={open} onClick={() => setOpen(!open)}>
          Make it a…
        </button>
        {open && (
          <div style={{ width: 140 }}>
            <Choice
              label="Role"
              value={role}
              options={(found?.roles ?? [role]).map((value) => ({ value, label: value }))}
              onChange={(value) => {
                setRole(value);
                setOff([]);
              }}
            />
          </div>
        )}
        <span className="soft small" role="status">
          {!open
            ? "What this recording lacks for its role, and has too much of, against recorded drums"
            : made.isFetching
              ? "measuring and solving…"
              : found && saidOf(found, role)}
        </span>
      </div>
      {open && (made.isError || trouble) && <p className="clash-text">{trouble ?? made.error?.message}</p>}
      {open && found && (
        <>
          <ul className="moves" aria-label="Moves">
            {needed.map((move) => (
              <li key={move.id}>
                <Form.Check
                  type="switch"
                  id={`move-${one.id}-${move.id}`}
                  label={move.title}
                  checked={!off.includes(move.id)}
                  onChange={({ target }) =>
                    setOff(target.checked ? off.filter((id) => id !== move.id) : [...off, move.id])
                  }
                />
                <span className="soft">{move.said}</span>
              </li>
            ))}
          </ul>
          <p className="soft small">
            Not needed:{" "}
            {found.moves
              .filter((move) => !move.needed && !move.held)
              .map((move) => move.title.toLowerCase())
              .join(", ") || "none"}
            .
            {found.moves
              .filter((move) => move.held)
              .map((move) => ` ${move.title}: ${move.said}.`)
              .join("")}
          </p>
          <div ref={follow}>
            <MadeBands bands={found.bands} width={width} role={role} />
          </div>
          <p className="soft small mb-0">Recorded ones: shaded. Before: dashed. After: solid.</p>
          <section className="figures my-2" aria-label="Before and after">
            {found.figures.map((each) => (
              <div key={each.name}>
                <span className="mono">
                  {figure(each.before, each.unit)} → {figure(each.after, each.unit)}
                </span>
                <span className="soft">
                  {each.name}; recorded {figure(each.low, each.unit)} to {figure(each.high, each.unit)}
                </span>
              </div>
            ))}
          </section>
          <div className="bench-head">
            <button type="button" className="btn btn-plain" onClick={() => hear(one.hit)}>
              Hear it as it is
            </button>
            <button type="button" className="btn btn-plain" onClick={() => hear(found.hit)}>
              Hear it made
            </button>
            <button
              type="button"
              className="btn btn-strong"
              disabled={
                editor.busy !== null || made.isPlaceholderData || needed.every((move) => off.includes(move.id))
              }
              onClick={() => {
                editor.send({ kind: "make-it", part: one.id, role, off }, `Make it ${aRole(role)}`);
                setOpen(false);
                setOff([]);
              }}
            >
              Make it {aRole(role)}
            </button>
            <span className="soft small">
              Equally loud to hear. Every move stays in its chain; undo brings all back.
            </span>
          </div>
        </>
      )}
    </section>
  );
}

/** What is outside before and after, in a sentence. */
function saidOf(found: Making, role: Role): string {
  if (found.outside_before === 0 && found.outside.length === 0)
    return `In all figures as ${aRole(`recorded ${role}`)} is.`;
  const left = found.outside.length ? `left: ${found.outside.join("; ")}` : "none left";
  return `${found.outside_before} outside of what a recorded ${role} is; ${left}.`;
}
