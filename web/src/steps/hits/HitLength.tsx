import { useState } from "react";
import { figure } from "../../controls/figures";
import { Typed } from "../../controls/Typed";
import { useEditor } from "../../queries/editor";

interface Props {
  hitId: string;
  name: string;
  /** As measured; null where it is silent or ends in noise. */
  lengthMs: number | null;
  beatMs: number;
}

const HALF = 0.5;
// From a sixteenth of a beat to four: as octaves of a beat, so that each halving is as far.
const SHORTEST_OCTAVES = -4;
const LONGEST_OCTAVES = 2;
const STEP_OCTAVES = 0.01;
// What reads the same is not asked for again.
const SAME_BEATS = 0.005;

/** How long a hit is heard, in ms and in beats: typed or dragged; what is asked for is solved, and measured again. */
export function HitLength({ hitId, name, lengthMs, beatMs }: Props) {
  const editor = useEditor();
  const [held, setHeld] = useState<number | null>(null);
  if (lengthMs === null) return <span className="soft small">No length: it is silent or ends in noise.</span>;
  const beats = held ?? lengthMs / beatMs;
  const ask = (wanted: number) => {
    setHeld(null);
    if (Math.abs(wanted - lengthMs / beatMs) <= SAME_BEATS) return;
    const length_ms = wanted * beatMs;
    editor.send({ kind: "length", part: hitId, length_ms }, `${name}: ${Math.round(length_ms)} ms long`);
  };
  const letGo = () => held !== null && ask(held);
  return (
    <span className="together">
      <span className="soft">length</span>
      <input
        type="range"
        style={{ width: 130 }}
        aria-label={`Length of ${name}`}
        aria-valuetext={`${figure(beats * beatMs, "ms")}, ${figure(beats, "beats")}`}
        min={SHORTEST_OCTAVES}
        max={LONGEST_OCTAVES}
        step={STEP_OCTAVES}
        value={Math.log2(beats)}
        onChange={(event) => setHeld(2 ** Number(event.target.value))}
        onPointerUp={letGo}
        onKeyUp={letGo}
        onBlur={letGo}
      />
      <Typed
        label={`Length of ${name}, ms`}
        unit="ms"
        value={beats * beatMs}
        onTyped={(ms) => ms > 0 && ask(ms / beatMs)}
      />
      <Typed
        label={`Length of ${name}, beats`}
        unit="beats"
        value={beats}
        onTyped={(wanted) => wanted > 0 && ask(wanted)}
      />
      <button
        type="button"
        className="btn btn-plain"
        disabled={Math.abs(beats - HALF) < SAME_BEATS}
        onClick={() => ask(HALF)}
      >
        half a beat
      </button>
    </span>
  );
}
