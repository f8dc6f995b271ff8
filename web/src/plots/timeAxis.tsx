import { createContext, type ReactNode, useContext, useEffect, useMemo, useRef, useState } from "react";
import { usePlayer, useTravel } from "../audio/usePlayer";
import { AXIS_LEFT, AXIS_RIGHT, axisBeat, axisX, BAR_BEATS, barBeat } from "./axis";

const PAGED_MS = 120;
/** A longer loop is begun with four bars in sight: its cells are too small to be met. */
const MOST_WHOLE_BEATS = 32;

export interface TimeAxis {
  /** All of the loop, and the part of it that is in sight, beats. */
  beats: number;
  from: number;
  to: number;
  /** Bars in sight; null: the whole loop. */
  bars: number | null;
  show: (bars: number | null) => void;
  /** Move what is in sight by its own length. */
  page: (by: number) => void;
}

const TimeContext = createContext<TimeAxis | null>(null);

/** What part of the loop every picture of time shows; while it plays, what is heard stays in sight. */
export function TimeProvider({ beats, children }: { beats: number; children: ReactNode }) {
  const [asked, setBars] = useState<number | null>();
  const bars = asked === undefined ? (beats > MOST_WHOLE_BEATS ? 4 : null) : asked;
  const [first, setFirst] = useState(0);
  const [player, { playing }] = usePlayer();
  const span = bars === null ? beats : Math.min(beats, bars * BAR_BEATS);
  const from = Math.max(0, Math.min(beats - span, first * BAR_BEATS));
  useEffect(() => {
    if (!playing || span >= beats) return;
    const timer = setInterval(() => {
      const beat = player.beat();
      if (beat !== null && (beat < from || beat >= from + span))
        setFirst((Math.floor(beat / span) * span) / BAR_BEATS);
    }, PAGED_MS);
    return () => clearInterval(timer);
  }, [player, playing, from, span, beats]);
  const axis = useMemo<TimeAxis>(
    () => ({
      beats,
      from,
      to: from + span,
      bars: span >= beats ? null : bars,
      show: (wanted) => {
        setBars(wanted);
        setFirst(Math.floor((player.beat() ?? from) / BAR_BEATS));
      },
      page: (by) => setFirst(Math.max(0, (from + by * span) / BAR_BEATS)),
    }),
    [beats, from, span, bars, player],
  );
  return <TimeContext value={axis}>{children}</TimeContext>;
}

export function useTimeAxis(): TimeAxis {
  const found = useContext(TimeContext);
  if (found === null) throw new Error("a picture of time needs a TimeProvider above it");
  return found;
}

/** What is heard now, over a picture of time, on a layer of its own: the picture is not drawn again for it. */
export function Playhead({ width, top, height }: { width: number; top: number; height: number }) {
  const axis = useTimeAxis();
  const line = useRef<HTMLDivElement>(null);
  const x = axisX(axis, width);
  useTravel(line, x(0) - AXIS_LEFT, x(axis.beats) - AXIS_LEFT);
  return (
    <div
      className="playhead-window"
      aria-hidden="true"
      style={{ left: AXIS_LEFT, width: Math.max(0, width - AXIS_LEFT - AXIS_RIGHT), top, height }}
    >
      <div ref={line} className="playhead" style={{ top: 0, height }} />
    </div>
  );
}

/** The places of a picture of time, at its foot: a press there has the loop go on from it. */
export function BeatNames({ width, y, every = 0 }: { width: number; y: number; every?: number }) {
  const axis = useTimeAxis();
  const [player] = usePlayer();
  const x = axisX(axis, width);
  const step = every || (axis.to - axis.from <= 16 ? 1 : axis.to - axis.from <= 32 ? 4 : 8);
  const names = Array.from({ length: Math.ceil((axis.to - axis.from) / step) }, (_, i) => axis.from + i * step);
  return (
    <g>
      {names.map((beat) => (
        <text key={beat} x={x(beat) + 3} y={y}>
          {barBeat(beat)}
        </text>
      ))}
      <rect
        x={AXIS_LEFT}
        y={y - 13}
        width={Math.max(0, width - AXIS_LEFT - AXIS_RIGHT)}
        height={17}
        fill="transparent"
        style={{ cursor: "pointer" }}
        data-testid="seek"
        onPointerDown={(event) => {
          if (event.button !== 0) return;
          event.stopPropagation();
          const left = event.currentTarget.ownerSVGElement?.getBoundingClientRect().left ?? 0;
          void player.from(Math.max(0, Math.min(axis.beats - 0.01, axisBeat(axis, width)(event.clientX - left))));
        }}
      >
        <title>Hear the loop from here</title>
      </rect>
    </g>
  );
}

const SPANS: { bars: number | null; name: string; short: string }[] = [
  { bars: null, name: "All of the loop", short: "All" },
  { bars: 4, name: "4 bars in sight", short: "4 bars" },
  { bars: 1, name: "1 bar in sight", short: "1 bar" },
];

/** How much of the loop every picture shows, and the way along it. */
export function TimeSpan() {
  const axis = useTimeAxis();
  const spans = SPANS.filter((one) => one.bars === null || one.bars * BAR_BEATS < axis.beats);
  if (spans.length < 2) return null;
  return (
    <span className="time-span" role="group" aria-label="Time in sight">
      {spans.map((one) => (
        <button
          key={one.name}
          type="button"
          className="btn btn-plain wide"
          aria-label={one.name}
          title={one.name}
          aria-pressed={axis.bars === one.bars}
          onClick={() => axis.show(one.bars)}
        >
          {one.short}
        </button>
      ))}
      {axis.bars !== null &&
        ([-1, 1] as const).map((by) => (
          <button
            key={by}
            type="button"
            className="btn btn-plain"
            aria-label={by < 0 ? "Earlier bars" : "Later bars"}
            disabled={by < 0 ? axis.from <= 0 : axis.to >= axis.beats}
            onClick={() => axis.page(by)}
          >
            {by < 0 ? "‹" : "›"}
          </button>
        ))}
    </span>
  );
}
