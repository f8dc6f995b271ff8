import { Form } from "react-bootstrap";
import { kickOf, othersOf } from "../../api/parts";
import type { HitOnLadder, Ladder } from "../../api/types";
import { beatMs, figure, noteOf, offNote, pretty } from "../../controls/figures";
import { Means } from "../../controls/Means";
import { HitPath } from "../../plots/HitPath";
import { useEditor } from "../../queries/editor";
import { withHit } from "../hits/pads";
import { ByHand } from "./ByHand";

interface Props {
  hit: HitOnLadder;
  ladder: Ladder;
}

const SAMPLER_A4_HZ = 440;
const VERDICTS: Record<HitOnLadder["verdict"], string> = {
  firm: "Firm: enough steady cycles to trust the note.",
  uncertain: "Uncertain: read the note with its margin.",
  none: "No pitch: nothing repeats steadily enough to be a note. A longer body or tail gives the ear something to hold on to.",
};
const USED: Record<HitOnLadder["used"], string> = {
  landing: "tuned by where it lands",
  heard: "tuned by what is heard: it is short, and its fall is heard as its pitch",
  "by hand": "tuned by what was said by hand",
  none: "nothing to tune by",
};
const TUNED_BY: { id: "automatic" | "landing" | "heard"; name: string }[] = [
  { id: "automatic", name: "as measured" },
  { id: "landing", name: "where it lands" },
  { id: "heard", name: "what is heard" },
];

/** One hit: its pitch path, every figure of it, and what it is tuned by. */
export function TunedHit({ hit, ladder }: Props) {
  const editor = useEditor();
  const own =
    hit.id === "kick" ? kickOf(editor.track).hit : othersOf(editor.track).find((one) => one.id === hit.id)?.hit;
  const margin = hit.uncertainty_cents;
  // What is typed into a sampler, which knows no other concert pitch; the delivered file carries the same.
  const root = hit.used_hz ? noteOf(hit.used_hz, SAMPLER_A4_HZ, ladder.rungs, editor.track.sheet.middle_c) : "–";
  return (
    <section aria-label={`Tuning of ${hit.name}`}>
      <div className="bench-head">
        <h3>{hit.name}</h3>
        <span className="soft">
          {VERDICTS[hit.verdict]}
          {hit.by_notes && " It is heard at the notes of its line, on Track: tuning its sound moves none of them."}
          {hit.also_hz !== null && ` Partials of ${figure(hit.also_hz, "Hz")} are heard too: it may be that note.`}
          {hit.about_hz !== null &&
            ` Its low end lies around ${figure(hit.about_hz, "Hz")}, ±${figure(hit.about_cents, "ct")}: take that, or say by hand which note you hear.`}
        </span>
      </div>
      <div className="figures tight mb-2">
        <Figure
          label={hit.used === "heard" ? "heard as" : "lands on"}
          value={hit.note_name ? `${pretty(hit.note_name)} ${offNote(hit.off_cents, hit.wide_margin_cents)}` : "–"}
        />
        <Figure label="landing" value={figure(hit.landing_hz, "Hz")} />
        <Figure label="heard" value={figure(hit.heard_hz, "Hz")} />
        <Figure label="margin" value={margin === null ? "–" : `±${figure(margin, "ct")}`} />
        <Figure label="confidence" value={figure(100 * hit.confidence, "%")} />
        <Figure label="cycles heard" value={hit.cycles.toFixed(1)} />
        <Figure label="drift" value={figure(hit.drift_cents_per_s, "ct", { sign: true }).replace(" ct", " ct/s")} />
        <Figure
          label={hit.length_ms ? `${figure(hit.length_ms / beatMs(editor.track.sheet.bpm), "beats")} long` : "length"}
          value={figure(hit.length_ms, "ms")}
        />
        <Figure label="sampler root" value={root} />
      </div>
      <HitPath hit={hit} rungs={ladder.rungs} />
      <div className="bench-head tune-ways">
        <span className="soft">{USED[hit.used]}</span>
        <Form.Select
          size="sm"
          style={{ width: 150 }}
          aria-label="Tuned by"
          value={own?.tuned_by ?? "automatic"}
          onChange={(event) => {
            const tuned_by = TUNED_BY.find((one) => one.id === event.target.value)?.id;
            if (!tuned_by) return;
            editor.edit(`${hit.name}: tuned by`, (track) =>
              withHit(track, hit.id, (one) => ({ ...one, hit: { ...one.hit, tuned_by } })),
            );
          }}
        >
          {TUNED_BY.map((one) => (
            <option key={one.id} value={one.id}>
              {one.name}
            </option>
          ))}
        </Form.Select>
        <ByHand hit={hit} byHandHz={own?.landing_by_hand_hz ?? null} />
      </div>
    </section>
  );
}

const MEANT: Record<string, string> = {
  "lands on": "landing",
  "heard as": "landing",
  margin: "margin of the landing",
  length: "kick length",
};

function Figure({ label, value }: { label: string; value: string }) {
  return (
    <div>
      <span className="soft">
        <Means of={MEANT[label] ?? label}>{label}</Means>
      </span>
      <span className="mono">{value}</span>
    </div>
  );
}
