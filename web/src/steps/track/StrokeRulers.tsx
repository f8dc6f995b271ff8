import type { Part, Stroke } from "../../api/types";
import { Ruler } from "../../controls/Ruler";
import type { Picked } from "./HitRows";

interface Props {
  hits: Part[];
  picked: Picked;
  onStrokes: (id: string, label: string, change: (strokes: Stroke[]) => Stroke[], gesture?: string) => void;
}

/** How hard the picked stroke is, how early or late, and at what pitch of its own. */
export function StrokeRulers({ hits, picked, onStrokes }: Props) {
  const one = hits.find((hit) => hit.id === picked.id);
  const stroke = one?.strokes.find((each) => each.at_beats === picked.at);
  if (!one || !stroke) return null;
  const set = (change: Partial<Stroke>, gesture: string) =>
    onStrokes(
      one.id,
      "Stroke",
      (all) => all.map((each) => (each.at_beats === picked.at ? { ...each, ...change } : each)),
      gesture,
    );
  return (
    <div className="grid-rulers mt-2" style={{ gridTemplateColumns: "auto 1fr 1fr 1fr" }}>
      <span className="soft">
        {one.name}, beat <span className="mono">{picked.at + 1}</span>
      </span>
      <Ruler
        model="Stroke"
        name="velocity"
        label="Strength"
        value={stroke.velocity}
        onChange={(velocity, gesture) => set({ velocity: Math.round(velocity) }, gesture)}
      />
      <Ruler
        model="Stroke"
        name="shift_ms"
        value={stroke.shift_ms}
        onChange={(shift_ms, gesture) => set({ shift_ms }, gesture)}
      />
      <Ruler
        model="Stroke"
        name="tune_cents"
        value={stroke.tune_cents}
        onChange={(tune_cents, gesture) => set({ tune_cents }, gesture)}
      />
    </div>
  );
}
