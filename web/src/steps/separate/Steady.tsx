import { useState } from "react";
import { BASS, bassOf, withPart } from "../../api/parts";
import type { Part, SeparateSheet } from "../../api/types";
import { Choice } from "../../controls/Choice";
import { figure } from "../../controls/figures";
import { ModelRulers } from "../../controls/ModelRulers";
import { Pending } from "../../controls/Pending";
import { ProposalTable } from "../../proposals/ProposalTable";
import { useProposals } from "../../proposals/useProposals";
import { useEditor } from "../../queries/editor";
import { useChoices } from "../../queries/parameters";

type Held = Part["steady"];

const RULERS: Record<Held["hold"], string[]> = {
  off: [],
  "lows compressed": ["split_hz", "threshold_db", "ratio", "attack_ms", "release_ms", "makeup_db"],
  limited: ["ceiling_db", "release_ms", "makeup_db"],
};

/** The line as it is held, for comparison. */
const NOW = "now";

/** How even the notes of the bass line are; evened by their levels, by compressing the lows, by limiting. */
export function Steady({ evenness }: { evenness: SeparateSheet["evenness"] }) {
  const [open, setOpen] = useState(false);
  const editor = useEditor();
  const { found, trouble, hear, take, heard, taken } = useProposals("evening", open);
  const { limits } = editor.track;
  const { steady } = bassOf(editor.track);
  const holds = useChoices("Steady", "hold") as Held["hold"][];
  const set = (change: Partial<Held>, gesture?: string) =>
    editor.edit(
      "Steady bass",
      (track) => withPart(track, BASS, (one) => ({ ...one, steady: { ...one.steady, ...change } })),
      gesture,
    );
  const rows = [
    { id: NOW, title: "As it is", settings: steady.hold === "off" ? "" : steady.hold, measured: evenness },
    ...(open ? (found.data ?? []) : []),
  ];
  return (
    <section aria-label="Steady bass">
      <div className="bench-head">
        <h3>Steady bass</h3>
        <span className="soft">
          the loudest note over the quietest, by the first 400 ms of each (K-weighted), before carve and duck
        </span>
        <button
          type="button"
          className="btn btn-plain ms-auto"
          aria-expanded={open}
          onClick={() => setOpen((now) => !now)}
        >
          {open ? "Close" : "Compare ways"}
        </button>
      </div>
      {trouble && <p className="clash-text small mb-1">{trouble}</p>}
      <ProposalTable
        label="Evenness of the bass line"
        head="Line"
        rows={rows}
        id={(one) => one.id}
        name={(one) => one.title}
        offered={(one) => one.id !== NOW}
        columns={[
          { head: "Spread", cell: ({ measured }) => figure(measured.spread_lu, "LU") },
          {
            head: "Distortion added",
            cell: ({ measured }) => (measured.distortion_db === null ? "none" : figure(measured.distortion_db, "dB")),
            over: ({ measured }) => (measured.distortion_db ?? -200) > limits.low_note_distortion_db,
          },
          { head: "Peak", cell: ({ measured }) => figure(measured.peak_db, "dBFS") },
          { head: "Loudness", cell: ({ measured }) => figure(measured.loudness_lufs, "LUFS") },
          { head: "Settings", cell: (one) => one.settings, words: true },
        ]}
        verb="Take"
        help="In place of how the line is held now, as one step"
        heard={heard}
        taken={taken}
        onHear={(one) => hear(one.id)}
        onTake={(one) => take(one.id, one.title)}
      />
      {open && <Pending found={found} doing="Making and measuring each…" failed="They could not be compared" />}
      {open && found.data?.length === 0 && (
        <p className="soft small">Fewer than two notes of the line sound: there is nothing to even.</p>
      )}
      <div className="d-flex gap-4 align-items-start mt-2">
        <div style={{ flex: "0 0 160px" }}>
          <Choice
            label="Held by"
            value={steady.hold}
            options={holds.map((value) => ({ value, label: value }))}
            onChange={(hold) => set({ hold })}
          />
        </div>
        <div style={{ flex: 1 }}>
          <ModelRulers
            model="Steady"
            values={steady}
            only={RULERS[steady.hold]}
            tone="bass"
            onChange={(name, value, gesture) => set({ [name]: value }, gesture)}
          />
        </div>
      </div>
    </section>
  );
}
