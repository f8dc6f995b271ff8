import { useCallback, useEffect, useRef, useState } from "react";
import { Form } from "react-bootstrap";
import { BASS, instrumentOf } from "../../api/parts";
import { Choice } from "../../controls/Choice";
import { plainName } from "../../controls/figures";
import { useEditor } from "../../queries/editor";
import { useDefinition } from "../../queries/parameters";
import { partName } from "../duck/duckedParts";
import { strokeAt, withHit } from "../hits/pads";
import { doublesOf, withLine } from "./line";
import { gainOfStrength, KEY_CODES, keyLabel, rootOf, type Struck, within, written } from "./playIn";
import { useMidi } from "./useMidi";
import { SIMULATED, usePlayIn } from "./usePlayIn";
import "./playIn.css";

const KEYS = "keys";
/** Whatever MIDI device there is first. */
const MIDI = "midi";
const USUAL = 100;

interface Props {
  part: string;
  /** Why it has no pitch: it is struck then, whatever key is pressed. */
  unpitched: boolean;
  inKey: Set<number>;
}

/** A line played over the loop by computer keys, a MIDI device or the simulated keyboard. */
export function PlayIn({ part, unpitched, inKey }: Props) {
  const editor = useEditor();
  const { track } = editor;
  const { sheet } = track;
  const name = partName(track, part);
  const [armed, setArmed] = useState(false);
  const [device, setDevice] = useState(KEYS);
  const [countIn, setCountIn] = useState(true);
  const [replace, setReplace] = useState(true);
  const [quantise, setQuantise] = useState(100);
  const [strength, setStrength] = useState(USUAL);
  const own = useDefinition(part === BASS ? "BassNote" : "Stroke").note;
  const [low, high] = [own?.minimum ?? 0, own?.maximum ?? 0];
  const [first, setFirst] = useState(12 * Math.floor(rootOf(sheet.tonic) / 12));
  const beats = sheet.bars * 4;
  const linked = doublesOf(track, part) !== null;
  const recorded = part === BASS && instrumentOf(track).source === "recorded line";

  const take = useCallback(
    (played: Struck[]) => {
      const notes = written(played, beats, quantise);
      const label = `Play in ${notes.length} ${notes.length === 1 ? "note" : "notes"}`;
      const places = new Set(notes.map((one) => one.at));
      editor.edit(label, (now) => {
        if (unpitched)
          return withHit(now, part, (one) => ({
            ...one,
            strokes: [
              ...(replace ? [] : one.strokes.filter((stroke) => !places.has(stroke.at_beats))),
              ...notes.map(({ at, velocity }) => strokeAt(at, velocity)),
            ],
          }));
        const line = notes.map(({ at, length, note, velocity }) => ({
          at_beats: at,
          length_beats: length,
          note: within(note, low, high),
          gain_db: part === BASS ? gainOfStrength(velocity) : 0,
          slide_ms: 0,
          bend_cents: 0,
          ...(part === BASS ? {} : { stroke: strokeAt(at, velocity) }),
        }));
        return withLine(now, part, line, replace);
      });
    },
    [editor, part, beats, quantise, replace, unpitched, low, high],
  );
  const { press, release, message, ready, begin, finish, recording, down, trouble, playing } = usePlayIn(
    part,
    armed,
    device,
    take,
  );
  // The browser asks before it lets a page at devices: not before one is wanted.
  const { inputs, missing } = useMidi(armed && device !== KEYS && device !== SIMULATED, device, message);
  useEffect(() => {
    // One that is pulled out makes way for the next, or for whichever comes.
    if (device === KEYS || device === SIMULATED || inputs.some((one) => one.id === device)) return;
    setDevice(inputs[0]?.id ?? MIDI);
  }, [device, inputs]);
  const keys = KEY_CODES.map((code, at) => ({ code, note: first + at })).filter(
    ({ note }) => note >= low && note <= high,
  );
  const latest = useRef({ press, release, keys, strength });
  latest.current = { press, release, keys, strength };

  useEffect(() => {
    if (!armed) return;
    const typing = (target: EventTarget | null) =>
      target instanceof HTMLElement &&
      target.matches("input:not([type=range]):not([type=checkbox]), textarea, select");
    const pressed = new Map<string, number>();
    const on = (event: KeyboardEvent) => {
      if (typing(event.target) || event.ctrlKey || event.metaKey || event.altKey) return;
      const key = latest.current.keys.find((one) => one.code === event.code);
      if (!key) return;
      event.preventDefault();
      if (event.repeat || pressed.has(event.code)) return;
      pressed.set(event.code, key.note);
      latest.current.press(key.note, latest.current.strength, performance.now() - event.timeStamp);
    };
    const off = (event: KeyboardEvent) => {
      const note = pressed.get(event.code);
      pressed.delete(event.code);
      if (note !== undefined) latest.current.release(note, performance.now() - event.timeStamp);
    };
    window.addEventListener("keydown", on);
    window.addEventListener("keyup", off);
    return () => {
      window.removeEventListener("keydown", on);
      window.removeEventListener("keyup", off);
    };
  }, [armed]);
  // Each note is fetched before its key is pressed.
  useEffect(() => {
    if (!armed) return;
    for (let note = Math.max(low, first); note < Math.min(high + 1, first + KEY_CODES.length); note++)
      void ready(note, strength);
  }, [armed, ready, strength, first, low, high]);

  if (linked || recorded) return null;
  return (
    <section aria-label={`Play in ${name}`} className="mt-2" data-plays-in={armed || undefined}>
      <div className="bench-head">
        <button
          type="button"
          className="btn btn-plain"
          aria-pressed={armed}
          title="Its letters play notes then, and open nothing"
          onClick={() => {
            if (armed) finish();
            setArmed(!armed);
          }}
        >
          Play {name.toLowerCase()} in
        </button>
        <span className="soft">
          {armed
            ? unpitched
              ? "no pitch is measured in it: every key strikes it as it is"
              : `keys ${keyLabel(KEY_CODES[0] ?? "")} to ${keyLabel(KEY_CODES.at(-1) ?? "")}, in pitch; dotted keys are outside of the key`
            : "over the running loop, by the keys of this computer or a MIDI device"}
        </span>
      </div>
      {armed && (
        <>
          <fieldset className="keys-in" aria-label="Keys to play">
            {keys.map(({ code, note }) => (
              <button
                key={code}
                type="button"
                className="btn btn-plain"
                aria-label={`Play ${plainName(note, sheet.middle_c)}${inKey.has(note % 12) ? "" : ", outside the key"}`}
                data-outside={!inKey.has(note % 12) || undefined}
                data-black={[1, 3, 6, 8, 10].includes(note % 12) || undefined}
                data-down={down.includes(note) || undefined}
                onPointerDown={(event) => {
                  if (event.button !== 0) return;
                  event.currentTarget.setPointerCapture(event.pointerId);
                  // The lower on the key, the harder.
                  const { top, height } = event.currentTarget.getBoundingClientRect();
                  press(note, Math.round(Math.min(127, Math.max(30, 30 + (97 * (event.clientY - top)) / height))));
                }}
                onPointerUp={() => release(note)}
                onPointerCancel={() => release(note)}
              >
                <span className="mono">{plainName(note, sheet.middle_c)}</span>
                <span className="soft">{keyLabel(code)}</span>
              </button>
            ))}
          </fieldset>
          <div className="d-flex flex-wrap gap-3 align-items-end mt-2">
            <Choice
              label="Played on"
              value={device}
              options={[
                { value: KEYS, label: "Keys of this computer" },
                { value: SIMULATED, label: "Simulated keyboard" },
                ...inputs.map((one) => ({ value: one.id, label: one.name })),
                ...(inputs.length ? [] : [{ value: MIDI, label: "A MIDI device" }]),
              ]}
              onChange={setDevice}
            />
            <span className="together">
              <button
                type="button"
                className="btn btn-plain"
                disabled={first - 12 < low - 11}
                onClick={() => setFirst(first - 12)}
              >
                Octave down
              </button>
              <button
                type="button"
                className="btn btn-plain"
                disabled={first + 12 > high}
                onClick={() => setFirst(first + 12)}
              >
                Octave up
              </button>
            </span>
            <div className="field" style={{ width: 150 }}>
              <label htmlFor="play-in-strength">
                Strength of keys <span className="mono">{strength}</span>
              </label>
              <input
                type="range"
                id="play-in-strength"
                min={1}
                max={127}
                value={strength}
                onChange={({ target }) => setStrength(Number(target.value))}
              />
            </div>
            <div className="field" style={{ width: 150 }}>
              <label htmlFor="play-in-quantise">
                Quantise <span className="mono">{quantise} %</span>
              </label>
              <input
                type="range"
                id="play-in-quantise"
                min={0}
                max={100}
                step={5}
                value={quantise}
                onChange={({ target }) => setQuantise(Number(target.value))}
              />
            </div>
            <Form.Check
              type="switch"
              id="play-in-count"
              label="Count in"
              checked={countIn}
              disabled={playing}
              onChange={() => setCountIn(!countIn)}
            />
            <Form.Check
              type="switch"
              id="play-in-replace"
              label="In place of what is there"
              checked={replace}
              onChange={() => setReplace(!replace)}
            />
            <button
              type="button"
              className="btn btn-plain"
              disabled={editor.busy !== null}
              onClick={() => (recording === "no" ? void begin(countIn) : finish())}
            >
              {recording === "no" ? "Take a pass" : "End the pass"}
            </button>
            <output className="soft">
              {trouble ??
                (recording === "count"
                  ? "Counting in…"
                  : recording === "yes"
                    ? "Taking down what is played, once around"
                    : device === MIDI
                      ? missing
                        ? "This browser lets no page at MIDI devices: play on the keys"
                        : "No MIDI device is connected yet"
                      : "")}
            </output>
          </div>
        </>
      )}
    </section>
  );
}
