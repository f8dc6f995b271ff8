import { useState } from "react";
import type { Hit, Part } from "../../api/types";
import { figure } from "../../controls/figures";
import { useEditor } from "../../queries/editor";
import { KeepForm } from "./KeepForm";
import { soundRole } from "./pads";

interface Props {
  one: Part;
  picked: { name: string; hit: Hit };
  keep: boolean;
  /** Sort the sheet by how far each is from this one. */
  onLiked: (() => void) | null;
  /** Sixteen more around it, or away from it. */
  onLike: (side: "more" | "less") => void;
  onHit: (label: string, change: (hit: Hit) => Hit) => void;
}

/** What can be done with the chosen sound: use it, go part of the way to it, keep it. */
export function Picked({ one, picked, keep, onLiked, onLike, onHit }: Props) {
  const editor = useEditor();
  // Where the morph set out from: the hit before it, however often the share changes.
  const [from] = useState(one.hit);
  const [share, setShare] = useState(0);
  const go = () =>
    editor.send(
      { kind: "morph", part: one.id, one: from, other: picked.hit, share },
      `Morph ${Math.round(100 * share)} %`,
    );
  return (
    <div className="panel picked" role="group" aria-label={`Chosen: ${picked.name}`}>
      <strong>{picked.name}</strong>
      <button
        type="button"
        className="btn btn-strong"
        onClick={() =>
          onHit(`Use ${picked.name}`, (now) => ({
            ...picked.hit,
            locked: now.locked,
            front: now.front,
            ranges: now.ranges,
          }))
        }
      >
        Use it
      </button>
      <label className="soft" htmlFor="morph">
        Morph to it
      </label>
      <input
        id="morph"
        type="range"
        min={0}
        max={1}
        step={0.05}
        value={share}
        onChange={(event) => setShare(Number(event.target.value))}
        onPointerUp={go}
        onKeyUp={(event) => event.key.startsWith("Arrow") && go()}
      />
      <span className="mono">{figure(100 * share, "%")}</span>
      <button
        type="button"
        className="btn btn-plain"
        onClick={() => onLike("more")}
        title="Rolled from it, half as far"
      >
        More like it
      </button>
      <button
        type="button"
        className="btn btn-plain"
        onClick={() => onLike("less")}
        title="Of thirty-two rolled as before, the sixteen furthest from it"
      >
        Less like it
      </button>
      {onLiked && (
        <button type="button" className="btn btn-plain" onClick={onLiked}>
          Nearest to it first
        </button>
      )}
      {keep && (
        <KeepForm
          trackId={editor.state.id}
          kind="hit"
          role={soundRole(one.role)}
          hit={picked.hit}
          proposed={picked.name}
        />
      )}
    </div>
  );
}
