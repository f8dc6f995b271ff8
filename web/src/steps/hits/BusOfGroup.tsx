import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Form } from "react-bootstrap";
import { ByPass } from "../../controls/ByPass";
import { figure } from "../../controls/figures";
import { Pending } from "../../controls/Pending";
import { useEditor } from "../../queries/editor";
import { groupQuery } from "../../queries/queries";
import { useRested } from "../../queries/useRested";
import { partName } from "../duck/duckedParts";
import { Chain } from "./Chain";
import { type Group, NOT_ON_A_BUS, ownParts, withGroup, withMember } from "./groups";

/** A bus that costs the kick this much of its clearance is to be looked at. */
const COSTS_DB = 1;
const worse = (one: { clearance_before_db: number | null; clearance_after_db: number | null }) =>
  one.clearance_before_db !== null &&
  one.clearance_after_db !== null &&
  one.clearance_after_db < one.clearance_before_db - COSTS_DB;

/** One bus: who goes through it, its processors, and what it does to each part on it. */
export function BusOfGroup({ group }: { group: Group }) {
  const editor = useEditor();
  const { settled, track } = editor;
  const rested = useRested();
  const stored = settled.track.groups.find((one) => one.id === group.id);
  const works = group.on && group.bus.some((one) => one.on) && (group.whole || group.members.length > 0);
  const found = useQuery({
    ...groupQuery(settled.id, settled.revision, group.id),
    placeholderData: keepPreviousData,
    enabled: stored !== undefined && works && rested,
  });
  const measured = works && stored?.bus.length === group.bus.length ? found.data : undefined;
  const change = (label: string, edit: (now: Group) => Group, gesture?: string) =>
    editor.edit(`${group.name}: ${label}`, (now) => withGroup(now, group.id, edit), gesture);
  return (
    <section aria-label={`Bus ${group.name}`} className="mb-4">
      <div className="bench-head">
        <Form.Check
          type="switch"
          id={`on-${group.id}`}
          aria-label={`${group.name} on`}
          checked={group.on}
          onChange={() => change(group.on ? "off" : "on", (now) => ({ ...now, on: !now.on }))}
        />
        <Form.Control
          size="sm"
          aria-label="Name of the bus"
          style={{ width: 160, fontWeight: 700 }}
          maxLength={40}
          value={group.name}
          onChange={({ target }) => {
            const name = target.value;
            if (name)
              editor.edit("Rename bus", (now) => withGroup(now, group.id, (one) => ({ ...one, name })), group.id);
          }}
        />
        <span className="ms-auto" />
        {works && <ByPass of={{ part: group.id, layer: null, stage: null, name: `the bus ${group.name}` }} />}
        <button
          type="button"
          className="btn btn-plain"
          onClick={() =>
            editor.edit(`Remove the bus ${group.name}`, (now) => ({
              ...now,
              groups: now.groups.filter((one) => one.id !== group.id),
            }))
          }
        >
          Remove
        </button>
      </div>
      {measured && (
        <p className="mono small mb-1">
          {figure(measured.moved_lu, "LU", { sign: true })} · peak {figure(measured.peak_before_dbtp, "dBTP")} to{" "}
          {figure(measured.peak_after_dbtp, "dBTP")} · takes off up to {figure(measured.reduction_db, "dB")}
        </p>
      )}
      {group.whole ? (
        <p className="soft small mb-1">
          Every own part goes through it, behind the other buses; the rest of the track does not.
        </p>
      ) : (
        <fieldset className="d-flex flex-wrap gap-3 mb-2">
          <legend className="visually-hidden">Parts on {group.name}</legend>
          {ownParts(track).map((part) => {
            const elsewhere = track.groups.find((one) => one.id !== group.id && one.members.includes(part));
            const name = partName(track, part);
            return (
              <Form.Check
                key={part}
                type="checkbox"
                id={`${group.id}-${part}`}
                label={elsewhere ? `${name} (in ${elsewhere.name})` : name}
                checked={group.members.includes(part)}
                onChange={({ target }) => {
                  const { checked } = target;
                  editor.edit(`${group.name}: ${checked ? "with" : "without"} ${name}`, (now) =>
                    withMember(now, group.id, part, checked),
                  );
                }}
              />
            );
          })}
        </fieldset>
      )}
      <Chain
        name={group.name}
        part={group.id}
        layer={null}
        list={["Group", "bus"]}
        heard={false}
        without={NOT_ON_A_BUS}
        chain={group.bus}
        changes={measured?.changes ?? []}
        onChange={(label, edit, gesture) =>
          editor.edit(
            label,
            (now) => withGroup(now, group.id, (one) => ({ ...one, bus: edit(one.bus) as Group["bus"] })),
            gesture,
          )
        }
      />
      {works && <Pending found={found} doing="Measuring the bus…" failed="This bus could not be measured" />}
      {measured && measured.members.length > 0 && (
        <table className="plain mt-2" aria-label={`What ${group.name} does`}>
          <thead>
            <tr>
              <th>Part</th>
              <th>Loudness</th>
              <th title="How much less the bus would take off without it, at most">Causes</th>
              <th>Kick over it</th>
              <th>Behind the bus</th>
            </tr>
          </thead>
          <tbody>
            {measured.members.map((one) => (
              <tr key={one.part}>
                <td>{one.name}</td>
                <td className="mono">{figure(one.moved_lu, "LU", { sign: true })}</td>
                <td className="mono">{figure(one.caused_db, "dB")}</td>
                <td className="mono">{figure(one.clearance_before_db, "dB")}</td>
                <td className={worse(one) ? "mono clash-text" : "mono"}>{figure(one.clearance_after_db, "dB")}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}
