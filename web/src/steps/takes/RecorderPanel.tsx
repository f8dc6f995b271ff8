import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { api } from "../../api/client";
import { HELD_S } from "../../audio/holding";
import type { Device, Recording } from "../../audio/recorder";
import type { Spilling } from "../../audio/spilling";
import { usePlayer } from "../../audio/usePlayer";
import { useRecorder } from "../../audio/useRecorder";
import { wavOf } from "../../audio/wav";
import { Choice } from "../../controls/Choice";
import { figure } from "../../controls/figures";
import { useNotices } from "../../frame/notices";
import { useEditor } from "../../queries/editor";
import { recorderQuery, recordingsQuery, takesQuery } from "../../queries/queries";
import { padLabel } from "../hits/pads";
import { useOwnKeys } from "../hits/useOwnKeys";
import { useThings } from "./useThings";

const DEVICES: { value: Device; label: string }[] = [
  { value: "stand-in", label: "Stand-in: a made-up room" },
  { value: "microphone", label: "Microphone" },
];
const COLUMNS = 240;
const HEIGHT = 44;
const WIDTH = 480;
const SHOWN_MS = 100;
const BY_STAND_IN = "by the stand-in";
const BY_MIC = "by the microphone";
const longName = () => `Recorded ${new Date().toLocaleString("sv-SE", { dateStyle: "short", timeStyle: "short" })}`;
/** The meter's lower end, dBFS. */
const RANGE_DB = 60;

/** A microphone, or a made-up one with things to strike; what was heard before anybody pressed anything is kept too. */
export function RecorderPanel() {
  const [recorder, view] = useRecorder();
  const [player, playing] = usePlayer();
  const editor = useEditor();
  const cache = useQueryClient();
  const { say } = useNotices();
  const [device, setDevice] = useState<Device>(view.armed ?? "stand-in");
  const [strength, setStrength] = useState(100);
  const [trouble, setTrouble] = useState<string | null>(null);
  const [measuring, setMeasuring] = useState(false);
  const [now, setNow] = useState(() => recorder.now(COLUMNS));
  const about = useQuery(recorderQuery());
  const box = useRef<HTMLElement>(null);
  const armed = view.armed !== null;
  const { sheet } = editor.track;

  const keep = useCallback(
    async (recording: Recording) => {
      recorder.hold(recording);
      setTrouble(null);
      try {
        const known = (await cache.fetchQuery(takesQuery())).filter((one) => one.made_of?.way === "recorded").length;
        const name = `Recorded ${known + 1}`;
        const made = await api.recorded(name, wavOf(recording.samples, recording.rate), recording.said);
        recorder.hold(null);
        await cache.invalidateQueries({ queryKey: takesQuery().queryKey });
        say({ text: `${made.name} is kept: ${figure(made.duration_ms / 1000, "s")}, ${recording.said}.` });
      } catch (error) {
        setTrouble(error instanceof Error ? error.message : String(error));
      }
    },
    [cache, say, recorder],
  );
  const { unkept } = view;
  // What ended by itself is kept at once; what could not be, when it is asked for.
  const tried = useRef<Recording | null>(null);
  useEffect(() => {
    if (!unkept || tried.current === unkept) return;
    tried.current = unkept;
    void keep(unkept);
  }, [unkept, keep]);
  const { long } = view;
  const sendLong = useCallback(
    async (spilling: Spilling) => {
      setTrouble(null);
      try {
        await spilling.end();
        recorder.holdLong(null);
        await cache.invalidateQueries({ queryKey: recordingsQuery().queryKey });
        say({ text: `A long recording of ${figure(spilling.totalS, "s")} is kept: cut what is good of it.` });
      } catch (error) {
        setTrouble(
          `${error instanceof Error ? error.message : String(error)} ${figure(spilling.heldS, "s")} of it are held here.`,
        );
      }
    },
    [cache, say, recorder],
  );
  const sentLong = useRef<Spilling | null>(null);
  useEffect(() => {
    if (!long || sentLong.current === long) return;
    sentLong.current = long;
    void sendLong(long);
  }, [long, sendLong]);
  useEffect(() => {
    if (!armed) return;
    const timer = setInterval(() => setNow(recorder.now(COLUMNS)), SHOWN_MS);
    return () => clearInterval(timer);
  }, [armed, recorder]);

  const things = about.data?.things ?? [];
  const [strike, ready] = useThings(things.length, strength, setTrouble);
  useOwnKeys(box, view.armed === "stand-in" ? things.length : 0, strike);
  const arm = () =>
    void recorder.arm(
      device,
      { room: () => api.roomTone(recorder.rate), latencyMs: about.data?.latency_ms ?? 0 },
      {
        begin: (rate) =>
          api.beginRecording(longName(), Math.round(rate), device === "stand-in" ? BY_STAND_IN : BY_MIC),
        append: api.appendRecording,
      },
    );
  const end = () => {
    const beat = playing.playing ? player.beat() : null;
    const recording = recorder.stop(beat === null ? null : { beat, beats: sheet.bars * 4, bpm: sheet.bpm });
    if (recording) recorder.hold(recording);
    else if (!recorder.view.long) setTrouble("Nothing was heard yet: it is held from the moment it is armed.");
  };
  const level = now?.level;
  const judged = level?.tooLoud
    ? "too loud: it is cut off, move away or turn the input down"
    : level?.tooQuiet
      ? "too quiet: move closer or turn the input up"
      : "level is right";
  return (
    <section className="panel" aria-label="Recorder" ref={box}>
      <div className="bench-head">
        <h3>Recorder</h3>
        <span className="soft" role="status">
          {armed
            ? view.recording
              ? `recording: ${figure((now?.heldS ?? 0) - (now?.beforeS ?? 0), "s")}, and ${figure(now?.beforeS ?? 0, "s")} from before`
              : `holding the last ${figure(Math.min(HELD_S, now?.heldS ?? 0), "s")} of ${HELD_S}`
            : view.arming
              ? "arming…"
              : "off"}
        </span>
        <span className="together ms-auto align-items-end">
          <div style={{ width: 220 }}>
            <Choice label="Listens to" value={device} options={DEVICES} onChange={setDevice} disabled={armed} />
          </div>
          <button
            type="button"
            className="btn btn-plain"
            aria-pressed={armed}
            disabled={view.arming || about.isPending}
            onClick={() => (armed ? recorder.letGo() : arm())}
          >
            {armed ? "Disarm" : "Arm"}
          </button>
          {armed && (
            <>
              <button
                type="button"
                className="btn btn-plain"
                onClick={() => (view.recording ? end() : recorder.begin())}
              >
                {view.recording ? "End recording" : "Record"}
              </button>
              {!view.recording && (
                <button
                  type="button"
                  className="btn btn-plain"
                  title="What was done before anything was pressed"
                  onClick={end}
                >
                  Keep what was heard
                </button>
              )}
            </>
          )}
        </span>
      </div>
      {(view.trouble ?? trouble) && <p className="clash-text">{view.trouble ?? trouble}</p>}
      {unkept && trouble && (
        <p>
          <span>{figure(unkept.samples.length / unkept.rate, "s")} are recorded and not kept yet. </span>
          <button type="button" className="btn btn-plain" onClick={() => void keep(unkept)}>
            Keep it
          </button>
        </p>
      )}
      {long && trouble && (
        <p>
          <span>A long recording is not all on the disk yet. </span>
          <button type="button" className="btn btn-plain" onClick={() => void sendLong(long)}>
            Send the rest
          </button>
        </p>
      )}
      {about.data?.scarce && (
        <p className="clash-text">
          The disk is nearly full: {figure(about.data.free_bytes / 1e6, "MB")} are left, and a recording may not fit.
        </p>
      )}
      {armed ? (
        <>
          <div className="held">
            <svg
              viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
              preserveAspectRatio="none"
              role="img"
              aria-label="What is held, the oldest at the left"
            >
              <rect width={WIDTH} height={HEIGHT} fill="var(--band)" />
              <path d={outline(now?.peaks ?? [])} stroke="var(--ink)" strokeWidth={WIDTH / COLUMNS} fill="none" />
            </svg>
            <div className="input-level">
              <div className="meter" role="img" aria-label="Input level">
                <div style={{ transform: `scaleX(${Math.max(0, 1 + (level?.peakDb ?? -90) / RANGE_DB)})` }} />
              </div>
              <span className="mono">{figure(level?.peakDb ?? -90, "dB")}</span>
              <span className={level?.tooLoud || level?.tooQuiet ? "clash-text" : "soft"}>{judged}</span>
            </div>
            <span className="soft">
              {view.latencyMs === null
                ? "latency not measured"
                : `latency ${figure(view.latencyMs, "ms")}, taken out over the loop`}{" "}
              <button
                type="button"
                className="btn btn-plain"
                disabled={measuring}
                title="A short quiet sound is played and found again in what is heard"
                onClick={() => {
                  setMeasuring(true);
                  void recorder.measureLatency(playing.levelDb).finally(() => setMeasuring(false));
                }}
              >
                {measuring ? "Listening…" : "Measure latency"}
              </button>
            </span>
          </div>
          {view.armed === "stand-in" && (
            <div className="d-flex flex-wrap gap-3 align-items-end mt-2">
              <fieldset className="things" aria-label="Things to strike" aria-busy={!ready}>
                {things.map((one, at) => (
                  <button
                    key={one.name}
                    type="button"
                    className="btn btn-plain"
                    title={one.help}
                    onPointerDown={(event) => {
                      if (event.button === 0) strike(at);
                    }}
                    onClick={(event) => {
                      // By keyboard only: a press of the pointer is struck as it goes down.
                      if (event.detail === 0) strike(at);
                    }}
                  >
                    <kbd>{padLabel(at)}</kbd> {one.name}
                  </button>
                ))}
              </fieldset>
              <div className="field" style={{ width: 150 }}>
                <label htmlFor="thing-strength">
                  Strength <span className="mono">{strength}</span>
                </label>
                <input
                  type="range"
                  id="thing-strength"
                  min={1}
                  max={127}
                  value={strength}
                  onChange={({ target }) => setStrength(Number(target.value))}
                />
              </div>
            </div>
          )}
          <p className="soft small mb-0 mt-2">
            Strike things, not people. Keep ears away from loud impacts, eyes from what may break, and mind your
            knuckles.
          </p>
        </>
      ) : (
        <p className="soft small mb-0">
          Off: nothing is heard or held. Armed, it holds the last {HELD_S} s, so that what was done before Record was
          pressed is kept; disarmed or left, all of that is dropped.
        </p>
      )}
    </section>
  );
}

const outline = (peaks: number[]) =>
  peaks
    .map((peak, at) => {
      const half = Math.max(0.5, (Math.min(1, Math.sqrt(peak)) * HEIGHT) / 2);
      const x = (((at + 0.5) * WIDTH) / Math.max(1, peaks.length)).toFixed(1);
      return `M${x} ${(HEIGHT / 2 - half).toFixed(1)}V${(HEIGHT / 2 + half).toFixed(1)}`;
    })
    .join("");
