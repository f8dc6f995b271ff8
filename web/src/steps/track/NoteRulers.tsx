import type { BassNote } from "../../api/types";
import { inBars } from "../../controls/figures";
import { ModelRulers } from "../../controls/ModelRulers";

interface Props {
  note: BassNote;
  name: string;
  /** A recorded line plays what was recorded: of a note of it only the level may be set. */
  recorded: boolean;
  onChange: (change: Partial<BassNote>, gesture?: string) => void;
}

/** The picked note's own level, how it slides into its pitch from the note before, and how it bends until it ends. */
export function NoteRulers({ note, name, recorded, onChange }: Props) {
  return (
    <section aria-label="The picked note">
      <p className="soft small mt-2 mb-0 d-flex gap-1">
        <span>{name} at</span> <span className="mono">{inBars(note.at_beats)}</span>
      </p>
      <ModelRulers
        model="BassNote"
        values={note}
        tone="bass"
        only={recorded ? ["gain_db"] : ["gain_db", "slide_ms", "bend_cents"]}
        onChange={(field, value, gesture) => onChange({ [field]: value }, gesture)}
      />
    </section>
  );
}
