import { Fragment, memo, useState } from "react";
import { api } from "../../api/client";
import type { Cure, Line, MeetingView } from "../../api/types";
import { usePlayer } from "../../audio/usePlayer";
import { figure, pretty } from "../../controls/figures";
import { useSaved } from "../../queries/editor";
import { Cures } from "./Cures";
import { intervalOf } from "./intervals";

interface Props {
  line: Line;
  fresh: boolean;
}

const VERDICTS: Record<MeetingView["verdict"], string> = {
  clean: "clean",
  swell: "a swell",
  beating: "beating",
  rough: "close: rough",
};
const WIDTH = 150;
const HEIGHT = 30;

/** The kick's landing against each note of the line, where it beats most; each heard alone, with what would cure it. */
export const AgainstBass = memo(function AgainstBass({ line, fresh }: Props) {
  const editor = useSaved();
  const [player] = usePlayer();
  const [trouble, setTrouble] = useState<string | null>(null);
  const { state } = editor;
  const [open, setOpen] = useState<number | null>(null);
  const hear = (one: MeetingView, cure: Cure | null = null) => {
    const cured = cure ? { note: one.note, id: cure.id } : undefined;
    const key = `moment ${state.id} ${state.revision} ${one.from_beats} ${one.to_beats} ${one.note} ${cure?.id}`;
    void player
      .strike(key, () => api.moment(state.id, state.revision, one.from_beats, one.to_beats, cured), true)
      .then(() => setTrouble(null))
      .catch((error) => setTrouble(error instanceof Error ? error.message : String(error)));
  };
  const { longest_cut_ms: cut } = line;
  return (
    <section aria-label="Kick against the bass">
      <div className="bench-head">
        <h3>Kick against the bass</h3>
        <span className="soft">where it beats most, in the overlap as heard</span>
        {cut !== null && (
          <button
            type="button"
            className="btn btn-plain ms-auto"
            disabled={editor.busy !== null || !fresh}
            title={`Its overlap is ${figure(cut, "ms")} too long for the note it beats with most`}
            onClick={() => editor.send({ kind: "shorten-kick" }, "Shorten the kick")}
          >
            Shorten the kick until none swells
          </button>
        )}
      </div>
      {trouble && <p className="clash-text small mb-1">{trouble}</p>}
      {line.meetings.length === 0 ? (
        <p className="soft">The kick has no pitch, or the line has no notes: nothing to compare.</p>
      ) : (
        <table className="plain" aria-label="Kick against each note">
          <thead>
            <tr>
              <th>Note</th>
              <th>Interval</th>
              <th>Apart</th>
              <th>Beats heard</th>
              <th>Overlap</th>
              <th>Both together</th>
              <th>Verdict</th>
              <th>
                <span className="visually-hidden">Acts</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {line.meetings.map((one) => (
              <Fragment key={one.note}>
                <tr>
                  <td>
                    <strong>{pretty(one.name)}</strong>
                  </td>
                  <td className="soft">{intervalOf(one.cents)}</td>
                  <td className="mono">{figure(one.apart_hz, "Hz")}</td>
                  <td className="mono">{one.beats_heard.toFixed(2)}</td>
                  <td className="mono">{figure(one.overlap_ms, "ms")}</td>
                  <td>
                    <Envelope one={one} />
                  </td>
                  <td className={one.verdict === "clean" ? "soft" : "clash-text"}>{VERDICTS[one.verdict]}</td>
                  <td className="text-end text-nowrap">
                    <button
                      type="button"
                      className="btn btn-plain"
                      disabled={!fresh}
                      aria-label={`Hear the kick with ${pretty(one.name)}`}
                      onClick={() => hear(one)}
                    >
                      Hear
                    </button>
                    <button
                      type="button"
                      className="btn btn-plain"
                      disabled={one.cut_ms === null}
                      aria-expanded={open === one.note}
                      aria-label={`Ways out for ${pretty(one.name)}`}
                      onClick={() => setOpen(open === one.note ? null : one.note)}
                    >
                      Ways out
                    </button>
                  </td>
                </tr>
                {open === one.note && one.cut_ms !== null && (
                  <tr>
                    <td colSpan={8} className="ways-out">
                      <Cures meeting={one} fresh={fresh} onHear={(cure) => hear(one, cure)} />
                    </td>
                  </tr>
                )}
              </Fragment>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
});

function Envelope({ one }: { one: MeetingView }) {
  const step = WIDTH / Math.max(1, one.envelope.length - 1);
  const points = one.envelope.map(
    (value, i) => `${(i * step).toFixed(1)} ${((1 - value) * (HEIGHT - 2) + 1).toFixed(1)}`,
  );
  return (
    <svg
      width={WIDTH}
      height={HEIGHT}
      role="img"
      aria-label={`Low band of kick and bass over ${pretty(one.name)}: ${one.beats_heard.toFixed(2)} beats`}
    >
      <path d={`M0 ${HEIGHT}L${points.join("L")}L${WIDTH} ${HEIGHT}Z`} fill="var(--band)" stroke="var(--soft)" />
    </svg>
  );
}
