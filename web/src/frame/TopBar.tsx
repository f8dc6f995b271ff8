import { useEffect, useRef, useState } from "react";
import { Button, ButtonGroup } from "react-bootstrap";
import type { View } from "../api/types";
import { bandSaid, HIGHEST_END_HZ, LOWEST_END_HZ } from "../audio/band";
import { usePlayer } from "../audio/usePlayer";
import { beatMs, figure, pretty } from "../controls/figures";
import { useEditor } from "../queries/editor";
import { Compared } from "./Compared";

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

function setTheme(dark: boolean) {
  document.documentElement.dataset.bsTheme = dark ? "dark" : "light";
  localStorage.setItem("juglant-theme", dark ? "dark" : "light");
}

/** Track, key, tempo, owner; before and after; hear. */
export function TopBar({ view, onHelp }: { view: View | undefined; onHelp: () => void }) {
  const { track, busy } = useEditor();
  const [player, playing] = usePlayer();
  const [dark, setDark] = useState(document.documentElement.dataset.bsTheme === "dark");
  const sheet = track.sheet;
  const match = view?.report.levels.match_db ?? 0;
  return (
    <header className="top">
      <h1 className="word-mark">juglant</h1>
      <span className="track-name" title={track.name}>
        {track.name}
      </span>
      <span className="chip">
        {pretty(sheet.tonic)} {sheet.scale}
      </span>
      <span className="chip">
        <span className="mono">{figure(sheet.bpm, "BPM")}</span> · beat{" "}
        <span className="mono">{figure(beatMs(sheet.bpm), "ms")}</span>
      </span>
      <span className="chip">{OWNERS[sheet.owner]}</span>
      <span className="spring" aria-live="polite">
        <span className="soft small">{busy && busy.length < 24 ? `${busy}…` : ""}</span>
      </span>
      <label className="d-flex align-items-center gap-1 small soft" title="Preview level; previews start quiet">
        <span className="visually-hidden">Preview level</span>
        <input
          type="range"
          min={LOWEST_LEVEL_DB}
          max={0}
          step={1}
          value={playing.levelDb}
          style={{ width: 56 }}
          aria-valuetext={figure(playing.levelDb, "dB")}
          onChange={(event) => player.setLevel(Number(event.target.value))}
        />
        <Meter />
      </label>
      <ButtonGroup size="sm" className="sides" aria-label="Before or after, at matched loudness">
        {(["before", "after"] as const).map((side) => (
          <Button
            key={side}
            variant="outline-dark"
            active={playing.side === side}
            aria-pressed={playing.side === side}
            onClick={() => player.setSide(side)}
            title="Key A"
          >
            {side === "before" ? "Before" : "After"}
          </Button>
        ))}
      </ButtonGroup>
      <span className="chip" title="The louder of the two is turned down by this, so that loudness does not decide">
        matched <span className="mono">{figure(Math.abs(match), "dB")}</span>
      </span>
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
      </div>
      {playing.error && (
        <span role="alert" className="clash-text small">
          {playing.error}
        </span>
      )}
    </header>
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
