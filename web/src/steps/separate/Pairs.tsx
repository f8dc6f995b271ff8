import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { api } from "../../api/client";
import { BASS } from "../../api/parts";
import type { Track } from "../../api/types";
import { figure, inBars } from "../../controls/figures";
import { Pending } from "../../controls/Pending";
import { PairMapPlot } from "../../plots/PairMap";
import { ProposalTable, SHORT_DB } from "../../proposals/ProposalTable";
import { useHeard } from "../../proposals/useHeard";
import { useEditor } from "../../queries/editor";
import { pairMapQuery, pairQuery } from "../../queries/queries";
import { useRested } from "../../queries/useRested";
import { partName } from "../duck/duckedParts";

/** The highest zone has no upper edge. */
const TOP_HZ = 16000;

/** Any two parts, zone by zone: who is over whom, and the least cut on either, heard in place and taken as one step. */
export function Pairs() {
  const { settled, state, track, busy, send } = useEditor();
  const [open, setOpen] = useState(false);
  const [asked, setAsked] = useState<{ owner: string; yielder: string }>({ owner: "kick", yielder: BASS });
  const parts = partsOf(track);
  const owner = parts.includes(asked.owner) ? asked.owner : "kick";
  const yielder = parts.includes(asked.yielder) && asked.yielder !== owner ? asked.yielder : other(parts, owner);
  const fresh = settled === state;
  const rested = useRested();
  const found = useQuery({
    ...pairQuery(settled.id, settled.revision, owner, yielder),
    placeholderData: keepPreviousData,
    enabled: open && rested && owner !== yielder,
  });
  const pair = found.data;
  const map = useQuery({
    ...pairMapQuery(settled.id, settled.revision, owner, yielder),
    enabled: open && rested && owner !== yielder,
  });
  // Of the pair that is asked for, not of the one before it.
  const ready = fresh && !found.isPlaceholderData;
  const [strike, trouble] = useHeard();
  const hear = (zone: string | null) =>
    strike(`pair ${settled.id} ${settled.revision} ${owner} ${yielder} ${zone}`, () =>
      api.pairLoop(settled.id, settled.revision, owner, yielder, zone),
    );
  const choose = (which: "owner" | "yielder", label: string) => (
    <Form.Select
      size="sm"
      aria-label={label}
      value={which === "owner" ? owner : yielder}
      onChange={({ target }) => setAsked({ owner, yielder, [which]: target.value })}
    >
      {parts.map((part) => (
        <option key={part} value={part} disabled={which === "yielder" && part === owner}>
          {partName(track, part)}
        </option>
      ))}
    </Form.Select>
  );
  return (
    <section aria-label="Any two parts">
      <div className="bench-head">
        <h3>Any two parts</h3>
        <span className="soft">zone by zone: how far the first is over the second, and the least cut</span>
        <button
          type="button"
          className="btn btn-plain ms-auto"
          aria-expanded={open}
          aria-label={open ? "Close: Any two parts" : undefined}
          onClick={() => setOpen(!open)}
        >
          {open ? "Close" : "Compare two"}
        </button>
      </div>
      {open && (
        <div className="d-flex gap-2 align-items-center mb-2">
          {choose("owner", "Part that has the room")}
          <span className="soft">over</span>
          {choose("yielder", "Part that gives way")}
          <button
            type="button"
            className="btn btn-plain text-nowrap"
            onClick={() => setAsked({ owner: yielder, yielder: owner })}
          >
            The other way round
          </button>
          <button type="button" className="btn btn-plain text-nowrap" disabled={!fresh} onClick={() => hear(null)}>
            Hear both
          </button>
        </div>
      )}
      {trouble && <p className="clash-text small mb-1">{trouble}</p>}
      {open && <Pending found={found} doing="Rendering and comparing…" failed="They could not be compared" />}
      {open && pair && (
        <>
          {pair.reason && <p className="soft small mb-1">No cut is offered: {pair.reason}.</p>}
          <ProposalTable
            label={`${pair.owner} over ${pair.yielder} by zone`}
            head="Zone"
            rows={pair.zones.filter((one) => one.clearance_db !== null)}
            id={(one) => one.zone}
            name={(one) => one.zone}
            said={(one) => (
              <span className="soft small">
                {" "}
                {one.to_hz >= TOP_HZ ? `over ${one.from_hz} Hz` : `${one.from_hz} to ${one.to_hz} Hz`}
              </span>
            )}
            columns={[
              {
                head: "Over it",
                cell: (one) => figure(one.clearance_db, "dB", { sign: true }),
                over: (one) => one.short_db > SHORT_DB,
              },
              { head: "Goal", cell: (one) => figure(one.goal_db, "dB", { sign: true }) },
              { head: "Together", cell: (one) => figure(one.together_pct, "%") },
              { head: "Worst at", cell: (one) => (one.worst_beats === null ? "–" : inBars(one.worst_beats)) },
              {
                head: `Least cut on ${pair.yielder}`,
                cell: (one) =>
                  one.cut ? `${figure(one.cut.gain_db, "dB")} at ${figure(one.cut.frequency_hz, "Hz")}` : "–",
              },
              {
                head: "Then",
                cell: (one) => (one.cut ? figure(one.cut.reached_db, "dB", { sign: true }) : "–"),
                over: (one) => (one.cut?.short_db ?? 0) > SHORT_DB,
              },
              { head: "It loses", cell: (one) => (one.cut ? figure(one.cut.lost_lu, "LU") : "–") },
            ]}
            verb="Take"
            help={`One more bell on ${pair.yielder}, as one step`}
            offered={(one) => one.cut !== null}
            heard={ready}
            taken={busy === null && ready}
            onHear={(one) => hear(one.zone)}
            onTake={(one) =>
              send(
                { kind: "pair-cut", owner, yielder, zone: one.zone },
                `${pair.yielder} clear of ${pair.owner} in ${one.zone}`,
              )
            }
          />
          {map.data && (
            <PairMapPlot map={map.data} owner={partName(track, owner)} yielder={partName(track, yielder)} />
          )}
          {pair.zones.every((one) => one.clearance_db === null) && (
            <p className="soft small">They do not meet: in no zone are both heard at a time.</p>
          )}
        </>
      )}
    </section>
  );
}

const partsOf = (track: Track): string[] => track.parts.map((one) => one.id);
const other = (parts: string[], owner: string): string => parts.find((part) => part !== owner) ?? BASS;
