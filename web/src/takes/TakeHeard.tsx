import { useEffect, useRef, useState } from "react";
import { api } from "../api/client";
import type { LoadedTake } from "../api/types";
import { usePlayer } from "../audio/usePlayer";
import { figure } from "../controls/figures";
import { useEditor } from "../queries/editor";
import { usePlainPart } from "../queries/parameters";
import { wavePath } from "../steps/hits/layers";
import { beginOf, keyOf, type Use, withTake } from "./uses";

const WIDTH = 360;
const HEIGHT = 44;

/** A loaded sound before it is used: its waveform with its onset, and the sound as it is and in its place. */
export function TakeHeard({ take, use }: { take: LoadedTake; use: Use }) {
  const editor = useEditor();
  const plain = usePlainPart();
  const [player] = usePlayer();
  const [sounding, setSounding] = useState<"alone" | "place" | null>(null);
  const [trouble, setTrouble] = useState<string | null>(null);
  const end = useRef<() => void>(() => undefined);
  const stop = () => {
    end.current();
    end.current = () => undefined;
    setSounding(null);
  };
  // What sounds ends with the dialog, or with another choice.
  useEffect(() => () => end.current(), []);
  const hear = (how: "alone" | "place", key: string, get: () => Promise<ArrayBuffer>) => {
    const again = sounding === how;
    stop();
    if (again) return;
    setSounding(how);
    setTrouble(null);
    void player
      .strike(key, get, true, () => setSounding((now) => (now === how ? null : now)))
      .then((ended) => {
        end.current = ended;
      })
      .catch((error) => {
        setSounding(null);
        setTrouble(error instanceof Error ? error.message : String(error));
      });
  };
  const { track, state } = editor;
  const rate = track.sheet.sample_rate;
  const place = () => {
    const loop = use.as === "kick loop" ? { take: take.id } : null;
    hear("place", `in place ${take.id} ${keyOf(use)} ${state.revision}`, () =>
      api.inPlace(state.id, withTake(track, plain, take, use), loop),
    );
  };
  const full = Math.max(1e-4, ...take.high.map(Math.abs), ...take.low.map(Math.abs));
  const at = take.onset_ms === null ? null : (WIDTH * take.onset_ms) / Math.max(1, take.span_ms);
  return (
    <div className="together">
      <svg
        width={WIDTH}
        height={HEIGHT}
        className="flex-shrink-0"
        role="img"
        aria-label={`Waveform of ${take.name}: ${onsetSaid(take)}`}
      >
        <rect width={WIDTH} height={HEIGHT} fill="var(--band)" />
        {at !== null && at > 0.5 && <rect width={at} height={HEIGHT} fill="var(--line)" />}
        <path d={wavePath(take.low, take.high, WIDTH, HEIGHT, full)} fill="var(--ink)" />
        {at !== null && <line x1={at} x2={at} y1={0} y2={HEIGHT} stroke="var(--ink)" strokeWidth={1} />}
      </svg>
      <div className="small soft">
        {onsetSaid(take)}
        {trouble && <span className="clash-text"> {trouble}</span>}
      </div>
      <button
        type="button"
        className="btn btn-plain ms-auto text-nowrap"
        aria-pressed={sounding === "alone"}
        aria-label={`Hear ${take.name} as it is`}
        onClick={() => hear("alone", `take ${take.id} ${rate}`, () => api.takeSound(take.id, 0, rate))}
      >
        Hear it
      </button>
      <button
        type="button"
        className="btn btn-plain text-nowrap"
        aria-pressed={sounding === "place"}
        aria-label={`Hear ${take.name} in its place`}
        title="The loop with this sound where it would be, no louder than it is now"
        onClick={place}
      >
        In its place
      </button>
    </div>
  );
}

function onsetSaid(take: LoadedTake): string {
  const begin = beginOf(take);
  if (take.onset_ms === null) return "fades in";
  return begin < 0.5
    ? "begins at once"
    : `begins ${figure(begin, "ms")} into its file; what lies before is kept there, not played`;
}
