import { useCallback, useEffect, useRef, useState } from "react";
import { api } from "../../api/client";
import { usePlayer } from "../../audio/usePlayer";
import { useEditor } from "../../queries/editor";
import { noteOf, phrase, rootOf, type Struck } from "./playIn";

/** Plays of its own on the simulated keyboard. */
export const SIMULATED = "simulated";

const EARLY_BEATS = 0.25;

export interface Input {
  id: string;
  name: string;
}

/** A note that is held: its key went down at this time of the page. */
interface Sounding {
  struck: Struck;
  sinceMs: number;
}

interface Held {
  note: number;
  end: () => void;
}

/** A part played by keys, a MIDI device or the simulated keyboard, and taken down over one pass of the loop. */
export function usePlayIn(part: string, armed: boolean, device: string, onTaken: (played: Struck[]) => void) {
  const editor = useEditor();
  const [player, view] = usePlayer();
  const { settled } = editor;
  const { bars, bpm } = settled.track.sheet;
  const beats = bars * 4;
  const held = useRef<Held | null>(null);
  const sounding = useRef(new Map<number, Sounding>());
  const taken = useRef<Struck[] | null>(null);
  const fresh = useRef(false);
  const [recording, setRecording] = useState<"no" | "count" | "yes">("no");
  const [down, setDown] = useState<number[]>([]);
  const [trouble, setTrouble] = useState<string | null>(null);

  const keyOf = useCallback(
    (note: number, velocity: number) => `note ${settled.id} ${settled.revision} ${part} ${note} ${velocity}`,
    [settled.id, settled.revision, part],
  );
  const get = useCallback(
    (note: number, velocity: number) => () => api.note(settled.id, settled.revision, part, note, velocity),
    [settled.id, settled.revision, part],
  );
  const ready = useCallback(
    (note: number, velocity: number) =>
      player.ready(keyOf(note, velocity), get(note, velocity)).catch(() => undefined),
    [player, keyOf, get],
  );

  /** Where the loop was some ms ago, in beats: what is handled late was not played late. */
  const beatBefore = useCallback(
    (lateMs: number) => {
      const at = player.beat();
      // A hand that is a little early for the first beat means the first beat.
      if (at === null) return (player.beatsAhead() ?? 1) < EARLY_BEATS ? 0 : null;
      return (at - (lateMs * bpm) / 60_000 + beats) % beats;
    },
    [player, bpm, beats],
  );
  const release = useCallback(
    (note: number, lateMs = 0) => {
      setDown((now) => now.filter((one) => one !== note));
      const one = sounding.current.get(note);
      sounding.current.delete(note);
      // By the keys' own times: a clock of what is heard may go on in steps.
      if (one) one.struck.length = Math.max(0, ((performance.now() - lateMs - one.sinceMs) * bpm) / 60_000);
      if (held.current?.note === note) {
        held.current.end();
        held.current = null;
      }
    },
    [bpm],
  );
  const press = useCallback(
    (note: number, velocity: number, lateMs = 0) => {
      setDown((now) => [...now.filter((one) => one !== note), note]);
      // One voice: what was held ends, and its key may be let go later.
      if (held.current) release(held.current.note, lateMs);
      const at = beatBefore(lateMs);
      if (taken.current && at !== null) {
        const one = { note, velocity, at, length: 0 };
        taken.current.push(one);
        sounding.current.set(note, { struck: one, sinceMs: performance.now() - lateMs });
      }
      const own: Held = { note, end: () => undefined };
      held.current = own;
      void player
        .strike(keyOf(note, velocity), get(note, velocity))
        .then((end) => {
          setTrouble(null);
          if (held.current === own) own.end = end;
          else end();
        })
        .catch((error) => setTrouble(error instanceof Error ? error.message : String(error)));
    },
    [player, keyOf, get, release, beatBefore],
  );
  const message = useCallback(
    (data: ArrayLike<number>, lateMs: number) => {
      const said = noteOf(data);
      if (said) said.on ? press(said.note, said.velocity, lateMs) : release(said.note, lateMs);
    },
    [press, release],
  );

  const finish = useCallback(() => {
    const played = taken.current;
    for (const note of [...sounding.current.keys()]) release(note);
    taken.current = null;
    setRecording("no");
    if (played?.length) onTaken(played);
  }, [onTaken, release]);

  /** One pass is taken down: from the count-in where the loop stands still, else from here once around. */
  const begin = useCallback(
    async (countIn: boolean) => {
      taken.current = [];
      fresh.current = !player.view.playing;
      setRecording("count");
      if (!player.view.playing) await player.start(countIn ? 4 : 0);
    },
    [player],
  );

  // The pass is followed by what is heard, so that what is played is where it was heard.
  const latest = useRef({ message, finish });
  latest.current = { message, finish };
  const going = recording !== "no";
  useEffect(() => {
    if (!going) return;
    const root = rootOf(settled.track.sheet.tonic);
    const hands = device === SIMULATED ? phrase(bars, root) : [];
    const said = hands.flatMap((one) => [
      { at: one.at, data: [0x90, one.note, one.velocity] },
      { at: one.at + one.length, data: [0x80, one.note, 0] },
    ]);
    let from: number | null = null;
    let last = 0;
    let passed = 0;
    let frame = 0;
    const follow = () => {
      frame = requestAnimationFrame(follow);
      if (!player.view.playing && !player.view.loading) return latest.current.finish();
      const at = player.beat();
      if (at === null) return;
      if (from === null) {
        // A loop that was begun for this is taken down from its first beat, however late that was seen.
        from = fresh.current ? 0 : at;
        last = from;
        setRecording("yes");
      }
      passed += (at - last + beats) % beats;
      last = at;
      const now = from + passed;
      const begun = from;
      // In the order of their times; what is past already says when it was.
      const due = said.filter((one) => timeOf(one.at, begun, beats) <= now);
      due.sort((one, other) => timeOf(one.at, begun, beats) - timeOf(other.at, begun, beats));
      for (const one of due) {
        said.splice(said.indexOf(one), 1);
        latest.current.message(one.data, ((now - timeOf(one.at, begun, beats)) * 60_000) / bpm);
      }
      if (passed >= beats - 0.02) latest.current.finish();
    };
    frame = requestAnimationFrame(follow);
    return () => cancelAnimationFrame(frame);
  }, [going, device, player, beats, bars, bpm, settled.track.sheet.tonic]);

  // Notes that are likely to come are fetched before they are played.
  useEffect(() => {
    if (!armed || device !== SIMULATED) return;
    const root = rootOf(settled.track.sheet.tonic);
    for (const one of phrase(1, root)) void ready(one.note, one.velocity);
  }, [armed, device, ready, settled.track.sheet.tonic]);

  return { press, release, message, ready, begin, finish, recording, down, trouble, playing: view.playing };
}

/** When something of a pass that began within the loop comes, in beats from the loop's start before it. */
const timeOf = (at: number, begun: number, beats: number) => (at >= begun ? at : at + beats);
