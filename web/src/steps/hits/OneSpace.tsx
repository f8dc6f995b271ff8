import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Form } from "react-bootstrap";
import { ByPass } from "../../controls/ByPass";
import { figure } from "../../controls/figures";
import { ModelChoices } from "../../controls/ModelChoices";
import { ModelRulers } from "../../controls/ModelRulers";
import { Ruler } from "../../controls/Ruler";
import { useEditor } from "../../queries/editor";
import { useParameter } from "../../queries/parameters";
import { sharedSpaceQuery } from "../../queries/queries";
import { useRested } from "../../queries/useRested";
import { partName } from "../duck/duckedParts";
import { ownParts } from "./groups";
import type { Space } from "./SharedSpaces";

const ALWAYS = ["level_db", "low_cut_hz", "high_cut_hz", "move_pct", "duck_db"];
const OF_KIND: Record<Space["kind"], string[]> = { room: ["ring_ms", "before_ms"], echo: ["feedback_pct"] };
const OF_DUCK = ["duck_hold_ms", "duck_return_ms"];

/** One shared space: what it is, who is sent to it, and what it costs. */
export function OneSpace({ space }: { space: Space }) {
  const editor = useEditor();
  const { settled, track } = editor;
  const { minimum: off } = useParameter("Send", "level_db");
  const rested = useRested();
  const stored = settled.track.spaces.find((one) => one.id === space.id);
  const works = space.on && space.sends.some((send) => send.level_db > off);
  const found = useQuery({
    ...sharedSpaceQuery(settled.id, settled.revision, space.id),
    placeholderData: keepPreviousData,
    enabled: stored !== undefined && works && rested,
  });
  const measured = works ? found.data : undefined;
  const change = (label: string, edit: (now: Space) => Space, gesture?: string) =>
    editor.edit(
      `${space.name}: ${label}`,
      (now) => ({ ...now, spaces: now.spaces.map((one) => (one.id === space.id ? edit(one) : one)) }),
      gesture,
    );
  const set = (name: string, value: unknown, gesture?: string) =>
    change(name.replace(/_.*/, ""), (now) => ({ ...now, [name]: value }) as Space, gesture);
  const send = (part: string, level_db: number, gesture?: string) =>
    change(
      `${partName(track, part)} sent`,
      (now) => {
        const others = now.sends.filter((one) => one.part !== part);
        return { ...now, sends: level_db > off ? [...others, { part, level_db }] : others };
      },
      gesture,
    );
  const skip = [
    "on",
    "name",
    "id",
    "kind",
    ...(space.kind === "room" ? ["every"] : []),
    ...(space.move_pct > 0 ? [] : ["move_beats"]),
  ];
  return (
    <section aria-label={`Space ${space.name}`} className="mb-4">
      <div className="bench-head">
        <Form.Check
          type="switch"
          id={`on-${space.id}`}
          aria-label={`${space.name} on`}
          checked={space.on}
          onChange={() => change(space.on ? "off" : "on", (now) => ({ ...now, on: !now.on }))}
        />
        <h3>{space.name}</h3>
        <ModelChoices model="SharedSpace" values={space} skip={skip} onChange={set} />
        <span className="ms-auto" />
        {works && <ByPass of={{ part: space.id, layer: null, stage: null, name: `the space ${space.name}` }} />}
        <button
          type="button"
          className="btn btn-plain"
          onClick={() =>
            editor.edit(`Remove ${space.name}`, (now) => ({
              ...now,
              spaces: now.spaces.filter((one) => one.id !== space.id),
            }))
          }
        >
          Remove
        </button>
      </div>
      {measured && measured.under_loop_lu !== null && (
        <p className="mono small mb-1">
          {figure(measured.under_loop_lu, "LU", { sign: true })} re the loop · low end{" "}
          {figure(measured.low_db, "dB", { sign: true })} · kick over bass {figure(measured.clearance_db, "dB")}, with
          it {figure(measured.clearance_with_db, "dB")} · in mono {figure(measured.mono_db, "dB", { sign: true })}
        </p>
      )}
      {measured && measured.under_loop_lu === null && (
        <p className="clash-text small mb-1">Nothing comes back from it.</p>
      )}
      {found.isError && (
        <p className="clash-text small mb-1">This space could not be measured: {found.error.message}</p>
      )}
      <ModelRulers
        model="SharedSpace"
        values={space}
        only={[
          ...ALWAYS.slice(0, 3),
          ...OF_KIND[space.kind],
          ...ALWAYS.slice(3),
          ...(space.duck_db > 0 ? OF_DUCK : []),
        ]}
        onChange={set}
      />
      <p className="soft small mt-2 mb-1">
        {works ? "Sent to it:" : "No part is sent to it yet, and nothing comes back. Send some:"}
      </p>
      <div className="grid-rulers">
        {ownParts(track).map((part) => (
          <Ruler
            key={part}
            model="Send"
            name="level_db"
            label={partName(track, part)}
            value={space.sends.find((one) => one.part === part)?.level_db ?? off}
            onChange={(value, gesture) => send(part, value, gesture)}
          />
        ))}
      </div>
    </section>
  );
}
