import { useCallback, useEffect, useRef, useState } from "react";
import { api } from "../../api/client";
import { usePlayer } from "../../audio/usePlayer";
import { useRecorder } from "../../audio/useRecorder";
import { useEditor } from "../../queries/editor";

/** No two strikes in a row are the same; the server makes no more than so many of each. */
const TURNS = 1000;
const RESTED_MS = 200;

interface Prepared {
  turn: number;
  strength: number;
  sound: Promise<ArrayBuffer>;
}

/** Things that the stand-in hears: the next strike of each is here before it is asked for. */
export function useThings(count: number, strength: number, onTrouble: (said: string) => void) {
  const [recorder, { armed }] = useRecorder();
  const [player] = usePlayer();
  const { sample_rate } = useEditor().track.sheet;
  const next = useRef<Prepared[]>([]);
  const turn = useRef(Math.floor(TURNS * Math.random()));
  const [ready, setReady] = useState(false);
  const listens = armed === "stand-in";

  const prepare = useCallback(
    (at: number) => {
      const own = turn.current++ % TURNS;
      const sound = api.strike(at, strength, own, recorder.rate);
      sound.catch(() => undefined);
      const made = { turn: own, strength, sound };
      next.current[at] = made;
      return made;
    },
    [strength, recorder],
  );
  useEffect(() => {
    if (!listens) return;
    setReady(false);
    let left = false;
    const timer = setTimeout(() => {
      const all = Array.from({ length: count }, (_, at) => prepare(at).sound);
      void Promise.allSettled(all).then(() => left || setReady(true));
    }, RESTED_MS);
    return () => {
      left = true;
      clearTimeout(timer);
    };
  }, [listens, count, prepare]);

  const strike = useCallback(
    (at: number) => {
      if (!listens) return;
      const known = next.current[at];
      const { turn: own, sound } = known?.strength === strength ? known : prepare(at);
      prepare(at);
      void sound
        .then((data) => {
          recorder.hear(data);
          // It is heard quietly too, as everything is; the stand-in hears it as it is.
          const own_rate = recorder.rate === sample_rate;
          return player.strike(`thing ${at} ${strength} ${own} ${sample_rate}`, () =>
            own_rate ? Promise.resolve(data) : api.strike(at, strength, own, sample_rate),
          );
        })
        .catch((error) => onTrouble(error instanceof Error ? error.message : String(error)));
    },
    [listens, strength, sample_rate, recorder, player, prepare, onTrouble],
  );
  return [strike, ready] as const;
}
