import { useState } from "react";
import { useSearchParams } from "react-router";
import { wholePart, withMore } from "../api/parts";
import type { Part } from "../api/types";
import { useNotices } from "../frame/notices";
import { useEditor } from "../queries/editor";
import { useDefinition, usePlainPart } from "../queries/parameters";
import { withoutHit } from "./duck/duckedParts";
import { AddHit } from "./hits/AddHit";
import { BassBench } from "./hits/BassBench";
import { BusesBench } from "./hits/BusesBench";
import { HitBench } from "./hits/HitBench";
import { Pads } from "./hits/Pads";
import { FULL_STRENGTH, hitFrom, hitsOf } from "./hits/pads";
import { usePads } from "./hits/usePads";
import "./hits/hits.css";

const USUAL_STRENGTH = 100;
const SOFTEST = 1;

/** The kit as pads, and the bench of the hit that is on it. */
export function HitsStep() {
  const editor = useEditor();
  const most = useDefinition("Track").parts?.most_parts ?? 0;
  const [asked, setAsked] = useSearchParams();
  const [strength, setStrength] = useState(USUAL_STRENGTH);
  const hits = hitsOf(editor.track);
  const wanted = asked.get("hit") ?? "kick";
  const one = hits.find((each) => each.id === wanted) ?? hits[0];
  const buses = asked.has("buses") || editor.track.groups.some((group) => group.id === wanted);
  const show = (id: string) => setAsked({ hit: id }, { replace: true });
  const plain = usePlainPart();
  const { say } = useNotices();
  const play = usePads(editor.settled, strength);
  return (
    <>
      <Pads
        parts={editor.track.parts}
        shown={buses ? null : wanted}
        buses={buses}
        onBuses={() => setAsked({ buses: "" }, { replace: true })}
        onShow={show}
        onPlay={(hit) => void play(hit.id, strength)}
      >
        <AddHit
          disabled={editor.track.parts.length >= most}
          onAdd={(start) => {
            const made = wholePart(plain, hitFrom(start, editor.track));
            editor.edit(`Add ${made.name}`, (track) => withMore(track, made));
            show(made.id);
            say({
              text: `${made.name} is added: ${broughtAlong(made)}.`,
              undo: editor.undo,
              step: `Add ${made.name}`,
            });
          }}
        />
        <span className="strike" title="How hard pads and keys strike; Shift is full strength">
          <label htmlFor="strength">
            Strength {strength}/{FULL_STRENGTH}
          </label>
          <input
            id="strength"
            type="range"
            aria-label="Strength"
            min={SOFTEST}
            max={FULL_STRENGTH}
            value={strength}
            onChange={(event) => setStrength(Number(event.target.value))}
          />
        </span>
      </Pads>
      {!buses && wanted === "bass" && <BassBench onHear={play} />}
      {buses && <BusesBench />}
      {!buses && wanted !== "bass" && one && (
        <HitBench
          key={one.id}
          one={one}
          onHear={play}
          onRemove={() => {
            editor.edit(`Remove ${one.name}`, (track) => withoutHit(track, one.id));
            show("kick");
          }}
        />
      )}
    </>
  );
}

/** What comes with a hit that is added. */
function broughtAlong({ hit, strokes, choke, role }: Part): string {
  const count = (many: number, one: string) => `${many} ${one}${many === 1 ? "" : "s"}`;
  return [
    count(hit.layers.length, "layer"),
    strokes.length ? `${count(strokes.length, "stroke")} in the pattern` : "no strokes yet",
    ...(hit.bus.length ? [`${count(hit.bus.length, "processor")} on its bus`] : []),
    ...(choke ? [`choke group ${choke}`] : []),
    `the level its role has, ${role}`,
  ].join(", ");
}
