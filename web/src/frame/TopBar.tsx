import { useEffect, useRef, useState } from "react";
import { Button, ButtonGroup } from "react-bootstrap";
import type { TrackLine, View } from "../api/types";
import { bandSaid, HIGHEST_END_HZ, LOWEST_END_HZ } from "../audio/band";
import { usePlayer } from "../audio/usePlayer";
import { useRecorder } from "../audio/useRecorder";
import { beatMs, figure, pretty } from "../controls/figures";
import { useEditor } from "../queries/editor";
import { Alone } from "./Alone";
import { Compared } from "./Compared";
import { TracksMenu } from "./TracksMenu";
import "./bar.css";

export const OWNERS: Record<string, string> = {
  kick: "Kick owns the sub",
  bass: "Bass owns the sub",
  shared: "Sub shared in time",
  "kick-is-bass": "The kick is the bass",
  zones: "Owned by zones",
};
const LOWEST_LEVEL_DB = -40;
/** As often as the analyser has new samples. */
const METER_MS = 43;
const METER_RANGE_DB = 60;
/** Less is no difference of loudness. */
const EVEN_DB = 0.05;

function setTheme(dark: boolean) {
  document.documentElement.dataset.bsTheme = dark ? "dark" : "light";
  localStorage.setItem("juglant-theme", dark ? "dark" : "light");
}

interface Props {
  view: View | undefined;
  tracks: TrackLine[];
  onOpen: (id: string) => void;
  onHelp: () => void;
}

/** Track, key, tempo, owner; what is stored; before and after; hear. */
export function TopBar({ view, tracks, onOpen, onHelp }: Props) {
  const { track, busy } = useEditor();
  const [player, playing] = usePlayer();
  const [dark, setDark] = useState(document.documentElement.dataset.bsTheme === "dark");
  const sheet = track.sheet;
  const match = view?.report.levels.match_db ?? 0;
  const down = `${match < 0 ? "before" : "after"} ${figure(-Math.abs(match), "dB")}`;
  return (
    <header className="top">
      <h1 className="word-mark">juglant</h1>
      <TracksMenu tracks={tracks} onOpen={onOpen} />
      <span className="chip">
        {pretty(sheet.tonic)} {sheet.scale}
      </span>
      <span className="chip">
        <span className="mono">{figure(sheet.bpm, "BPM")}</span> · beat{" "}
        <span className="mono">{figure(beatMs(sheet.bpm), "ms")}</span>
      </span>
      <span className="chip roomy">{OWNERS[sheet.owner]}</span>
      <StoredSo />
      <span className="spring" aria-live="polite">
        <span className="soft small">{busy && busy.length < 24 ? `${busy}…` : ""}</span>
      </span>
      <div className="level" title="Level of the preview: it starts quiet, and nothing is louder than -1 dBTP">
        <label htmlFor="preview-level">
          Level <span className="mono">{figure(playing.levelDb, "dB")}</span>
        </label>
        <input
          id="preview-level"
          type="range"
          min={LOWEST_LEVEL_DB}
          max={0}
          step={1}
          value={playing.levelDb}
          aria-label="Level of the preview"
          aria-valuetext={figure(playing.levelDb, "dB")}
          onChange={(event) => player.setLevel(Number(event.target.value))}
        />
        <Meter />
      </div>
      <Alone />
      <div
        className="two-sides"
        title="Key A. The louder of the two is turned down, so that loudness does not decide"
      >
        <ButtonGroup size="sm" className="sides" aria-label="Before or after, at matched loudness">
          {(["before", "after"] as const).map((side) => (
            <Button
              key={side}
              variant="outline-dark"
              active={playing.side === side}
              aria-pressed={playing.side === side}
              onClick={() => player.setSide(side)}
            >
              {side === "before" ? "Before" : "After"}
            </Button>
          ))}
        </ButtonGroup>
        <span className="soft">{Math.abs(match) < EVEN_DB ? "equally loud" : <>equally loud: {down}</>}</span>
      </div>
      <Button variant="strong" onClick={() => void player.toggle()} aria-pressed={playing.playing}>
        {playing.loading ? "Loading" : playing.playing ? "Stop" : "Hear"} <kbd>Space</kbd>
      </Button>
      <Button
        variant="plain"
        aria-label={dark ? "Day theme" : "Night theme"}
        title={dark ? "Day theme" : "Night theme"}
        onClick={() => {
          setTheme(!dark);
          setDark(!dark);
        }}
      >
        {dark ? "☀" : "☾"}
      </Button>
      <Button variant="plain" onClick={onHelp} aria-label="Keys" title="All keys">
        ?
      </Button>
      <div className="heard-so">
        <Compared />
        {playing.band !== "all" && <BandHeard />}
        <RecorderArmed />
      </div>
      {playing.error && (
        <span role="alert" className="clash-text small">
          {playing.error}
        </span>
      )}
    </header>
  );
}

/** Whether what is shown is on disk. */
function StoredSo() {
  const { track, state, trouble } = useEditor();
  const said = trouble ? "not saved" : track === state.track ? "saved" : "saving";
  return (
    <span
      className={`stored ${trouble ? "clash-text" : "soft"}`}
      title={trouble ? trouble.message : "Every change is on disk before it is called saved"}
    >
      {said}
    </span>
  );
}

/** A recorder that listens, on whatever step: said, and let go. */
function RecorderArmed() {
  const [recorder, { armed, recording, unkept }] = useRecorder();
  if (!armed)
    return unkept ? (
      <div className="band-heard" role="status">
        <span>A recording is not on the shelf yet: it waits under Takes</span>
      </div>
    ) : null;
  return (
    <div className="band-heard" role="status">
      <span>
        {armed === "microphone" ? "The microphone is on" : "The stand-in is on"}: {recording ? "recording" : "held"}
      </span>
      <button type="button" className="btn btn-plain" onClick={() => recorder.letGo()}>
        Disarm recorder
      </button>
    </div>
  );
}

/** The part of the spectrum that is heard alone: what it is, where the low end stops, and a way out. */
function BandHeard() {
  const [player, { band, lowHz }] = usePlayer();
  return (
    <div className="band-heard" role="status">
      <span>{bandSaid(band, lowHz)}</span>
      {band !== "top" && (
        <input
          type="range"
          min={LOWEST_END_HZ}
          max={HIGHEST_END_HZ}
          step={10}
          value={lowHz}
          aria-label="Where the low end stops"
          aria-valuetext={`${lowHz} Hz`}
          onChange={(event) => player.setBand(band, Number(event.target.value))}
        />
      )}
      <button type="button" className="btn btn-plain" onClick={() => player.setBand("all")}>
        Hear all
      </button>
    </div>
  );
}

/** Peak of what is heard. */
function Meter() {
  const [player, { playing }] = usePlayer();
  const bar = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const show = (db: number) => {
      const share = Math.max(0, 1 + db / METER_RANGE_DB);
      if (bar.current) bar.current.style.transform = `scaleX(${share.toFixed(3)})`;
    };
    if (!playing) {
      show(-90);
      return;
    }
    const timer = setInterval(() => show(player.meterDb()), METER_MS);
    return () => clearInterval(timer);
  }, [player, playing]);
  return (
    <div className="meter" role="img" aria-label="Level meter">
      <div ref={bar} style={{ transform: "scaleX(0)" }} />
    </div>
  );
}
