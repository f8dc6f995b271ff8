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
            <th>Move, and why</th>
            <th>
              <span className="visually-hidden">Acts</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {hit.targets.map((target) => {
            return (
              <tr key={target.note}>
                <td title={systems(target)} className="text-nowrap">
                  <strong>{pretty(target.name)}</strong>
                  <div className="mono">{figure(target.frequency_hz, "Hz")}</div>
                </td>
                <td className="soft wrap" title={apartOf(target)}>
                  <div className="mono">
                    <span className="ink">{moveOf(target)}</span>
                    {target.speed_length_ms !== null &&
                      `, ${figure(target.speed_length_ms, "ms")} ${speed ? "long" : "by speed"}`}
                  </div>
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
                    className="btn btn-plain same-width ms-1"
                    disabled={editor.busy !== null || target.is_there || !fresh}
                    aria-label={
                      target.is_there ? `${pretty(target.name)}: it is there` : `Land here: on ${pretty(target.name)}`
                    }
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
const SAME_HZ = 0.05;

function moveOf(target: TargetView): string {
  const semitones = Math.round(target.shift_semitones);
  const cents = target.shift_cents - SEMITONE_CENTS * semitones;
  return `${figure(semitones, "st", { sign: true }).replace(".0", "")} ${figure(cents, "ct", { sign: true })}`;
}

const apartOf = ({ bass_apart_hz: hz }: TargetView) =>
  hz === null
    ? undefined
    : hz < SAME_HZ
      ? "A note of the bass"
      : `The nearest note of the bass is ${figure(hz, "Hz")} away`;

const systems = (target: TargetView) =>
  target.not_played_by.length
    ? `10 dB down or more on: ${target.not_played_by.join(", ")} (this project's choice)`
    : "every common system plays it";
