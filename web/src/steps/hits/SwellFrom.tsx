import { useState } from "react";
import type { Part } from "../../api/types";
import { Choice } from "../../controls/Choice";
import { useEditor } from "../../queries/editor";

const BEATS_A_BAR = 4;
const LENGTHS = [0.5, 1, 2, 4, 8, 16];

/** A swell of a hit into a beat: its sound turned round, or itself risen, placed by its end. */
export function SwellFrom({ one }: { one: Part }) {
  const editor = useEditor();
  const beats = editor.track.sheet.bars * BEATS_A_BAR;
  const [way, setWay] = useState<"reversed" | "rising">("reversed");
  const [at, setAt] = useState(Math.min(beats - 1, 2 * BEATS_A_BAR));
  const [length, setLength] = useState(2);
  return (
    <fieldset className="together align-items-end mt-3" aria-label={`A swell of ${one.name}`}>
      <span style={{ width: 120 }}>
        <Choice
          label="A swell of it"
          value={way}
          options={[
            { value: "reversed", label: "reversed" },
            { value: "rising", label: "rising" },
          ]}
          onChange={setWay}
        />
      </span>
      <span style={{ width: 90 }}>
        <Choice
          label="ends on"
          value={Math.min(at, beats - 1)}
          options={Array.from({ length: beats }, (_, beat) => ({
            value: beat,
            label: `${Math.floor(beat / BEATS_A_BAR) + 1}.${(beat % BEATS_A_BAR) + 1}`,
          }))}
          onChange={setAt}
        />
      </span>
      <span style={{ width: 100 }}>
        <Choice
          label="lasts"
          value={length}
          options={LENGTHS.map((value) => ({ value, label: value === 1 ? "1 beat" : `${value} beats` }))}
          onChange={setLength}
        />
      </span>
      <button
        type="button"
        className="btn btn-plain"
        disabled={editor.busy !== null}
        onClick={() =>
          editor.send(
            { kind: "swell", part: one.id, at_beats: Math.min(at, beats - 1), length_beats: length, way },
            `${one.name} as a swell`,
          )
        }
      >
        Make the swell
      </button>
    </fieldset>
  );
}
