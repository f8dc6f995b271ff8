import { memo, useState } from "react";
import { api } from "../../api/client";
import type { HitOnLadder, TargetView, Way } from "../../api/types";
import { usePlayer } from "../../audio/usePlayer";
import { figure, pretty, prettyText } from "../../controls/figures";
import { useSaved } from "../../queries/editor";

interface Props {
  hit: HitOnLadder;
  way: Way;
  fresh: boolean;
}

/** Notes a hit could land on, the best first, with what each costs; heard at matched loudness before it is applied. */
export const Targets = memo(function Targets({ hit, way, fresh }: Props) {
  const editor = useSaved();
  const [player] = usePlayer();
  const [trouble, setTrouble] = useState<string | null>(null);
  const { state } = editor;
  const speed = hit.has_take && way === "playback speed";
  const hear = (target: TargetView) => {
    const move = { hit_id: hit.id, frequency_hz: target.frequency_hz, way };
    void player
      .strike(`retuned ${state.id} ${state.revision} ${hit.id} ${target.frequency_hz} ${way}`, () =>
        api.retuned(state.id, state.revision, move),
      )
      .then(() => setTrouble(null))
      .catch((error) => setTrouble(error instanceof Error ? error.message : String(error)));
  };
  return (
    <>
      {trouble && <p className="clash-text small mb-1">{trouble}</p>}
      <table className="plain" aria-label="Targets">
        <thead>
          <tr>
            <th>Note</th>
            <th>Frequency</th>
            <th>Move</th>
            <th>{speed ? "New length" : "Length by speed"}</th>
            <th>From the bass</th>
            <th>Why</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {hit.targets.map((target) => {
            return (
              <tr key={target.note}>
                <td>
                  <strong>{pretty(target.name)}</strong>
                </td>
                <td className="mono" title={systems(target)}>
                  {figure(target.frequency_hz, "Hz")}
                </td>
                <td className="mono">{moveOf(target)}</td>
                <td className="mono">
                  {target.speed_length_ms === null
                    ? "–"
                    : `${figure(target.speed_length_ms, "ms")} · ${figure(target.speed_length_beats, "beats")}`}
                </td>
                <td className="mono">{figure(target.bass_apart_hz, "Hz")}</td>
                <td className="soft wrap">
                  {prettyText(target.reason)}
                  {target.warning && <span className="clash-text"> {target.warning}</span>}
                </td>
                <td className="text-end text-nowrap">
                  <button
                    type="button"
                    className="btn btn-plain"
                    disabled={!fresh}
                    aria-label={`Hear ${hit.name} on ${pretty(target.name)}`}
                    onClick={() => hear(target)}
                  >
                    Hear
                  </button>
                  <button
                    type="button"
                    className="btn btn-plain same-width"
                    disabled={editor.busy !== null || target.is_there || !fresh}
                    aria-label={`Land on ${pretty(target.name)}`}
                    onClick={() =>
                      editor.send(
                        { kind: "tune", moves: [{ hit_id: hit.id, frequency_hz: target.frequency_hz, way }] },
                        `Land ${hit.name} on ${target.name}`,
                      )
                    }
                  >
                    {target.is_there ? "there" : "Land here"}
                  </button>
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </>
  );
});

const SEMITONE_CENTS = 100;

function moveOf(target: TargetView): string {
  const semitones = Math.round(target.shift_semitones);
  const cents = target.shift_cents - SEMITONE_CENTS * semitones;
  return `${figure(semitones, "st", { sign: true }).replace(".0", "")} ${figure(cents, "ct", { sign: true })}`;
}

const systems = (target: TargetView) =>
  target.not_played_by.length
    ? `10 dB down or more on: ${target.not_played_by.join(", ")} (this project's choice)`
    : "every common system plays it";
