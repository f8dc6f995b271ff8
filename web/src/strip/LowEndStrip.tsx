import { type KeyboardEvent, memo } from "react";
import type { Finding, Ribbon, Strip } from "../api/types";
import { usePlayer } from "../audio/usePlayer";
import { figure, offNote, pretty } from "../controls/figures";
import { AXIS_LEFT, AXIS_RIGHT, axisBeat, axisX, barBeat } from "../plots/axis";
import { Playhead, useTimeAxis } from "../plots/timeAxis";
import { useWidth } from "../plots/useWidth";
import { ribbonPath, type StripBox, xOf, yOf } from "./geometry";

interface Props {
  strip: Strip;
  height: number;
  landing: { note: string; cents: number; hz: number; wide: number | null } | null;
  finding: Finding | undefined;
}

const LOWEST_HZ = 32;
const HIGHEST_HZ = 300;
const NARROWEST_LABEL_PX = 11;
/** A landing is named where there is room for it. */
const LEAST_NAMED_PX = 90;
/** As wide as a figure is at the strip's size. */
const LETTER_PX = 8.1;

/** Other parts lie over the bass and under the kick. */
const layerOf = (part: string) => (part === "bass" ? 0 : part === "kick" ? 2 : 1);
const fillOf = (part: string) => (part === "kick" ? "var(--kick)" : part === "bass" ? "var(--bass)" : "var(--soft)");
/** Less is no other side to be seen. */
const MOVED_DB = 1;
const moved = (one: Ribbon) => one.level_db.some((db, i) => Math.abs(db - (one.before_db[i] ?? db)) > MOVED_DB);

/**
 * Pitch against beats, from rendered audio: kick and bass as ribbons, thickness is level, hatched where they fight. The
 * side that is heard is drawn, the other as its outline.
 */
export const LowEndStrip = memo(function LowEndStrip({ strip, height, landing, finding }: Props) {
  const [follow, width] = useWidth(840);
  const [, { side }] = usePlayer();
  const axis = useTimeAxis();
  const box: StripBox = {
    width,
    height,
    left: AXIS_LEFT,
    top: 6,
    bottom: 16,
    beats: axis.to - axis.from,
    from: axis.from,
    lowHz: LOWEST_HZ,
    highHz: HIGHEST_HZ,
  };
  const rungs = strip.rungs.filter((rung) => rung.frequency_hz > LOWEST_HZ && rung.frequency_hz < HIGHEST_HZ);
  let lastLabel = Number.POSITIVE_INFINITY;
  const taken = rungs.filter((rung) => rung.tonic).map((rung) => yOf(box, rung.frequency_hz));
  const beats = Array.from({ length: box.beats + 1 }, (_, beat) => axis.from + beat);
  const scale = height / 170;
  const heardBefore = side === "before";
  const fights = heardBefore ? strip.fights_before : strip.fights;
  const fightBeats = fights.reduce((sum, fight) => sum + fight.to_beats - fight.from_beats, 0);
  const ribbons = [...strip.ribbons].sort((one, other) => layerOf(one.part) - layerOf(other.part));
  const inSight = (beat: number) => beat >= axis.from && beat <= axis.to;
  const description =
    `Low end, ${heardBefore ? "before carve and duck" : "as it is now"}, ${strip.length_beats} beats. ` +
    (landing ? `The kick lands on ${pretty(landing.note)}, ${offNote(landing.cents, landing.wide, "cents")}. ` : "") +
    (fights.length
      ? `Kick and bass fight in ${fights.length} places, ${figure(fightBeats, "beats")} in all.`
      : "Kick and bass do not fight.");
  const step = box.beats <= 16 ? 1 : 4;
  return (
    <div ref={follow} className="position-relative">
      <svg className="strip" width={width} height={height} role="img" aria-label={description}>
        <defs>
          <pattern id="hatch" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
            <line x1="0" y1="0" x2="0" y2="6" stroke="var(--clash)" strokeWidth="2.4" />
          </pattern>
        </defs>
        <rect
          x={box.left}
          y={box.top}
          width={width - box.left - 8}
          height={height - box.top - box.bottom}
          fill="var(--card)"
          stroke="var(--line)"
        />
        {rungs.map((rung) => {
          const y = yOf(box, rung.frequency_hz);
          const clear = lastLabel - y >= NARROWEST_LABEL_PX;
          const free = taken.every((place) => Math.abs(place - y) >= NARROWEST_LABEL_PX);
          const labelled = rung.tonic ? clear : clear && free;
          if (labelled) lastLabel = y;
          return (
            <g key={rung.note}>
              <line
                x1={box.left}
                x2={width - 8}
                y1={y}
                y2={y}
                stroke={rung.tonic ? "var(--soft)" : "var(--rung)"}
                strokeWidth={rung.tonic ? 1.2 : 0.6}
              />
              {labelled && (
                <text x={box.left - 6} y={y + 4} textAnchor="end" className={rung.tonic ? "strong" : ""}>
                  {pretty(rung.name)}
                </text>
              )}
            </g>
          );
        })}
        {beats.map((beat) => (
          <g key={beat}>
            <line
              x1={xOf(box, beat)}
              x2={xOf(box, beat)}
              y1={box.top}
              y2={height - box.bottom}
              stroke={beat % 4 === 0 ? "var(--soft)" : "var(--line)"}
              strokeWidth={beat % 4 === 0 ? 1 : 0.7}
            />
            {beat < axis.to && (beat - axis.from) % step === 0 && (
              <text x={xOf(box, beat) + 3} y={height - 3}>
                {barBeat(beat)}
              </text>
            )}
          </g>
        ))}
        {ribbons.map((ribbon, index) => (
          <g key={index} data-part={ribbon.part}>
            <path
              d={ribbonPath(ribbon, box, scale, heardBefore ? ribbon.before_db : ribbon.level_db)}
              fill={fillOf(ribbon.part)}
              opacity={ribbon.part === "kick" ? 1 : ribbon.part === "bass" ? 0.9 : 0.75}
            >
              <title>{ribbon.label}</title>
            </path>
            {moved(ribbon) && (
              <path
                d={ribbonPath(ribbon, box, scale, heardBefore ? ribbon.level_db : ribbon.before_db)}
                fill="none"
                stroke={heardBefore ? "var(--card)" : fillOf(ribbon.part)}
                strokeWidth={0.9}
                data-testid="ghost"
              />
            )}
          </g>
        ))}
        {fights
          .filter((fight) => fight.to_beats > axis.from && fight.from_beats < axis.to)
          .map((fight) => {
            const [from, to] = [Math.max(fight.from_beats, axis.from), Math.min(fight.to_beats, axis.to)];
            return (
              <rect
                key={fight.from_beats}
                x={xOf(box, from)}
                y={yOf(box, fight.high_hz)}
                width={Math.max(3, xOf(box, to) - xOf(box, from))}
                height={Math.max(6, yOf(box, fight.low_hz) - yOf(box, fight.high_hz))}
                fill="url(#hatch)"
                stroke="var(--clash)"
              />
            );
          })}
        {landing && height >= LEAST_NAMED_PX && <Landed box={box} landing={landing} />}
        {finding?.place_beats !== null && finding?.place_beats !== undefined && inSight(finding.place_beats) && (
          <line
            x1={xOf(box, finding.place_beats)}
            x2={xOf(box, finding.place_beats)}
            y1={box.top}
            y2={height - box.bottom}
            stroke="var(--clash)"
            strokeWidth={2}
          />
        )}
      </svg>
      <Mark width={width} top={box.top} height={box.height - box.top - box.bottom} />
      <Playhead width={width} top={box.top} height={box.height - box.top - box.bottom} />
    </div>
  );
});

/** Where the loop plays from: a press sets it and is heard, arrow keys move it, Enter plays. */
function Mark({ width, top, height }: { width: number; top: number; height: number }) {
  const axis = useTimeAxis();
  const [player, { markBeats }] = usePlayer();
  const x = axisX(axis, width);
  const last = axis.beats - 0.01;
  const key = (event: KeyboardEvent) => {
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (by) player.mark(Math.max(0, Math.min(axis.beats - 1, Math.round(markBeats) + by)));
    else if (event.key === "Home") player.mark(0);
    else if (event.key === "Enter") void player.from(markBeats);
    else return;
    event.preventDefault();
  };
  return (
    <div
      className="strip-mark"
      role="slider"
      tabIndex={0}
      aria-label="Where the loop plays from"
      aria-valuemin={0}
      aria-valuemax={axis.beats}
      aria-valuenow={markBeats}
      aria-valuetext={barBeat(markBeats)}
      title="A press plays the loop from there"
      style={{ left: AXIS_LEFT, width: Math.max(0, width - AXIS_LEFT - AXIS_RIGHT), top, height }}
      onKeyDown={key}
      onClick={(event) => {
        const px = event.clientX - event.currentTarget.getBoundingClientRect().left + AXIS_LEFT;
        void player.from(Math.max(0, Math.min(last, axisBeat(axis, width)(px))));
      }}
    >
      {markBeats > 0 && markBeats >= axis.from && markBeats <= axis.to && (
        <span className="strip-flag" style={{ left: x(markBeats) - AXIS_LEFT }} aria-hidden="true">
          ▾
        </span>
      )}
    </div>
  );
}

function Landed({ box, landing }: { box: StripBox; landing: NonNullable<Props["landing"]> }) {
  const text = `lands ${pretty(landing.note)} ${offNote(landing.cents, landing.wide)}`;
  const wide = 14 + LETTER_PX * text.length;
  const y = Math.min(box.height - box.bottom - 16, yOf(box, landing.hz) + 9);
  return (
    <g>
      <rect x={box.left + 8} y={y} width={wide} height={15} rx={7.5} fill="var(--kick)" />
      <text
        x={box.left + 8 + wide / 2}
        y={y + 11}
        textAnchor="middle"
        style={{ fill: "var(--on-kick)", fontWeight: 600 }}
      >
        {text}
      </text>
    </g>
  );
}
