import { memo, useState } from "react";
import type { HitOnLadder } from "../../api/types";
import { figure } from "../../controls/figures";
import { typedNumber } from "../../controls/scale";
import { useSaved } from "../../queries/editor";
import { withHit } from "../hits/pads";

interface Props {
  hit: HitOnLadder;
  byHandHz: number | null;
}

/** Says where a hit lands where the measurement does not, or not in this octave; it is kept with the hit. */
export const ByHand = memo(function ByHand({ hit, byHandHz }: Props) {
  const editor = useSaved();
  const [typed, setTyped] = useState<string | null>(null);
  const now = byHandHz ?? hit.used_hz;
  const say = (hz: number | null) => {
    setTyped(null);
    editor.edit(
      hz === null ? `${hit.name}: landing as measured` : `${hit.name}: lands at ${figure(hz, "Hz")}`,
      (track) => withHit(track, hit.id, (one) => ({ ...one, hit: { ...one.hit, landing_by_hand_hz: hz } })),
    );
  };
  return (
    <span className="together">
      <label className="soft" htmlFor="by-hand">
        by hand
      </label>
      <input
        id="by-hand"
        className="form-control form-control-sm mono"
        style={{ width: 84 }}
        inputMode="decimal"
        placeholder="Hz"
        value={typed ?? (byHandHz === null ? "" : String(Number(byHandHz.toFixed(2))))}
        onChange={(event) => setTyped(event.target.value)}
        onKeyDown={(event) => {
          event.stopPropagation();
          if (event.key === "Enter" && typed !== null) say(typedNumber(typed) || null);
          if (event.key === "Escape") setTyped(null);
        }}
        onBlur={() => typed !== null && say(typedNumber(typed) || null)}
      />
      {hit.about_hz !== null && byHandHz === null && (
        <button
          type="button"
          className="btn btn-plain"
          title="The middle of its low end, for want of a note"
          onClick={() => say(hit.about_hz)}
        >
          take {figure(hit.about_hz, "Hz")}
        </button>
      )}
      <button
        type="button"
        className="btn btn-plain"
        disabled={!now}
        title="It is an octave lower than measured"
        onClick={() => now && say(now / 2)}
      >
        octave down
      </button>
      <button
        type="button"
        className="btn btn-plain"
        disabled={!now}
        title="It is an octave higher than measured"
        onClick={() => now && say(now * 2)}
      >
        octave up
      </button>
      <button type="button" className="btn btn-plain" disabled={byHandHz === null} onClick={() => say(null)}>
        as measured
      </button>
    </span>
  );
});
