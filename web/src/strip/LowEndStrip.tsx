import { memo, useRef } from "react";
import type { Finding, Strip } from "../api/types";
import { useTravel } from "../audio/usePlayer";
import { figure, offNote, pretty } from "../controls/figures";
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
const NARROWEST_LABEL_PX = 9;

/** Pitch against beats, from rendered audio: kick and bass as ribbons, thickness is level, hatched where they fight. */
export const LowEndStrip = memo(function LowEndStrip({ strip, height, landing, finding }: Props) {
  const [follow, width] = useWidth(840);
  const box: StripBox = {
    width,
    height,
    left: 40,
    top: 6,
    bottom: 14,
    beats: strip.length_beats,
    lowHz: LOWEST_HZ,
    highHz: HIGHEST_HZ,
  };
  const rungs = strip.rungs.filter((rung) => rung.frequency_hz > LOWEST_HZ && rung.frequency_hz < HIGHEST_HZ);
  let lastLabel = Number.POSITIVE_INFINITY;
  const taken = rungs.filter((rung) => rung.tonic).map((rung) => yOf(box, rung.frequency_hz));
  const beats = Array.from({ length: strip.length_beats + 1 }, (_, beat) => beat);
  const scale = height / 170;
  const fightBeats = strip.fights.reduce((sum, fight) => sum + fight.to_beats - fight.from_beats, 0);
  const description =
    `Low end, ${strip.length_beats} beats. ` +
    (landing ? `The kick lands on ${pretty(landing.note)}, ${offNote(landing.cents, landing.wide, "cents")}. ` : "") +
    (strip.fights.length
      ? `Kick and bass fight in ${strip.fights.length} places, ${figure(fightBeats, "beats")} in all.`
      : "Kick and bass do not fight.");
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
          const clear = lastLabel - y >= NARROWEST_LABEL_PX + 2;
          const free = taken.every((place) => Math.abs(place - y) >= NARROWEST_LABEL_PX + 2);
          const labelled = rung.tonic || (clear && free);
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
                <text x={box.left - 6} y={y + 3.5} textAnchor="end" className={rung.tonic ? "strong" : ""}>
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
            {beat < strip.length_beats && (strip.length_beats <= 16 || beat % 4 === 0) && (
              <text x={xOf(box, beat) + 3} y={height - 3}>
                {strip.length_beats <= 4 ? beat + 1 : `${Math.floor(beat / 4) + 1}.${(beat % 4) + 1}`}
              </text>
            )}
          </g>
        ))}
        {strip.ribbons
          .filter((ribbon) => ribbon.part === "bass")
          .map((ribbon, index) => (
            <path key={index} d={ribbonPath(ribbon, box, scale)} fill="var(--bass)" opacity={0.9} />
          ))}
        {strip.ribbons
          .filter((ribbon) => ribbon.part !== "kick" && ribbon.part !== "bass")
          .map((ribbon, index) => (
            <path key={index} d={ribbonPath(ribbon, box, scale)} fill="var(--soft)" opacity={0.75}>
              <title>{ribbon.label}</title>
            </path>
          ))}
        {strip.ribbons
          .filter((ribbon) => ribbon.part === "kick")
          .map((ribbon, index) => (
            <path key={index} d={ribbonPath(ribbon, box, scale)} fill="var(--kick)" />
          ))}
        {strip.fights.map((fight) => (
          <rect
            key={fight.from_beats}
            x={xOf(box, fight.from_beats)}
            y={yOf(box, fight.high_hz)}
            width={Math.max(3, xOf(box, fight.to_beats) - xOf(box, fight.from_beats))}
            height={Math.max(6, yOf(box, fight.low_hz) - yOf(box, fight.high_hz))}
            fill="url(#hatch)"
            stroke="var(--clash)"
          />
        ))}
        {landing && <Landed box={box} landing={landing} />}
        {finding?.place_beats !== null && finding?.place_beats !== undefined && (
          <g>
            <line
              x1={xOf(box, finding.place_beats)}
              x2={xOf(box, finding.place_beats)}
              y1={box.top}
              y2={height - box.bottom}
              stroke="var(--clash)"
              strokeWidth={2}
            />
          </g>
        )}
      </svg>
      <Playhead box={box} />
    </div>
  );
});

function Landed({ box, landing }: { box: StripBox; landing: NonNullable<Props["landing"]> }) {
  const text = `lands ${pretty(landing.note)} ${offNote(landing.cents, landing.wide)}`;
  const wide = 16 + 6.9 * text.length;
  const y = Math.min(box.height - box.bottom - 16, yOf(box, landing.hz) + 9);
  return (
    <g>
      <rect x={box.left + 8} y={y} width={wide} height={15} rx={7.5} fill="var(--kick)" />
      <text
        x={box.left + 8 + wide / 2}
        y={y + 11}
        textAnchor="middle"
        style={{ fill: "var(--on-kick)", fontWeight: 600, fontSize: 9.5 }}
      >
        {text}
      </text>
    </g>
  );
}

/** A line over the strip, on a layer of its own: the strip is not drawn again for it. */
function Playhead({ box }: { box: StripBox }) {
  const line = useRef<HTMLDivElement>(null);
  useTravel(line, xOf(box, 0), xOf(box, box.beats));
  return (
    <div
      ref={line}
      className="playhead"
      aria-hidden="true"
      style={{ top: box.top, height: box.height - box.top - box.bottom }}
    />
  );
}
