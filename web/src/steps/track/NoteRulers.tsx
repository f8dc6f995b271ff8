import { inBars } from "../../controls/figures";
import { ModelRulers } from "../../controls/ModelRulers";
import type { LineNote } from "./line";

interface Props {
  note: LineNote;
  name: string;
  /** A recorded line plays what was recorded: of a note of it only the level may be set. */
  recorded: boolean;
  onChange: (change: Partial<LineNote>, gesture?: string) => void;
}

/** The picked note's own level or strength, how it slides into its pitch from the note before, and how it bends. */
export function NoteRulers({ note, name, recorded, onChange }: Props) {
  const { stroke } = note;
  return (
    <section aria-label="The picked note">
      <p className="soft small mt-2 mb-0 d-flex gap-1">
        <span>{name} at</span> <span className="mono">{inBars(note.at_beats)}</span>
      </p>
      {stroke ? (
        <ModelRulers
          model="Stroke"
          values={stroke}
          tone="bass"
          only={["velocity", "shift_ms", "slide_ms", "bend_cents"]}
          onChange={(field, value, gesture) => {
            const set = { ...stroke, [field]: field === "velocity" ? Math.round(Number(value)) : value };
            onChange({ stroke: set, slide_ms: set.slide_ms, bend_cents: set.bend_cents }, gesture);
          }}
        />
      ) : (
        <ModelRulers
          model="BassNote"
          values={note}
          tone="bass"
          only={recorded ? ["gain_db"] : ["gain_db", "slide_ms", "bend_cents"]}
          onChange={(field, value, gesture) => onChange({ [field]: value }, gesture)}
        />
      )}
    </section>
  );
}
