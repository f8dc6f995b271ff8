import { useState } from "react";
import { useSearchParams } from "react-router";
import { useEditor } from "../queries/editor";
import { useDefinition } from "../queries/parameters";
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
  const most = useDefinition("Track").kit?.most_kit ?? 0;
  const [asked, setAsked] = useSearchParams();
  const [strength, setStrength] = useState(USUAL_STRENGTH);
  const hits = hitsOf(editor.track);
  const wanted = asked.get("hit") ?? "kick";
  const one = hits.find((each) => each.id === wanted) ?? hits[0];
  const buses = asked.has("buses") || editor.track.groups.some((group) => group.id === wanted);
  const show = (id: string) => setAsked({ hit: id }, { replace: true });
  const play = usePads(editor.settled, strength);
  return (
    <>
      <Pads
        hits={hits}
        shown={buses ? null : wanted}
        buses={buses}
        onBuses={() => setAsked({ buses: "" }, { replace: true })}
        onShow={show}
        onPlay={(hit) => void play(hit.id, strength)}
      >
        <AddHit
          disabled={editor.track.kit.length >= most}
          onAdd={(start) => {
            const made = hitFrom(start, editor.track);
            editor.edit(`Add ${made.name}`, (track) => ({ ...track, kit: [...track.kit, made] }));
            show(made.id);
          }}
        />
        <span className="together">
          <label className="visually-hidden" htmlFor="strength">
            Strength
          </label>
          <input
            id="strength"
            type="range"
            min={SOFTEST}
            max={FULL_STRENGTH}
            value={strength}
            onChange={(event) => setStrength(Number(event.target.value))}
          />
          <span className="mono small" title="How hard pads and keys strike; Shift is full strength">
            {strength}
          </span>
        </span>
      </Pads>
      {!buses && wanted === "bass" && <BassBench />}
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
