import type { DuckedPart } from "../../api/types";
import { figure } from "../../controls/figures";
import { AXIS_LEFT, AXIS_RIGHT, axisX, BAR_BEATS } from "../../plots/axis";
import { BeatNames, Playhead, useTimeAxis } from "../../plots/timeAxis";
import { useWidth } from "../../plots/useWidth";

const ROW = 28;
const LEFT = AXIS_LEFT;
const BOTTOM = 16;
const DEEPEST_DB = 24;
/** Make-up gain is drawn a little over a lane's top, not into the next. */
const LIFTED_DB = -3;

/** How tall so many lanes are, px. */
export const lanesHeight = (count: number) => count * ROW + BOTTOM;

interface Props {
  parts: DuckedPart[];
  beats: number;
  chosen: string;
  /** From this on a bar that loses less than the others is marked. */
  jumpLu: number;
  onChoose: (part: string) => void;
}

/** Every part's gain over the loop, one lane above another, with the keys that restart it. */
export function Lanes({ parts, beats, chosen, jumpLu, onChoose }: Props) {
  const [follow, width] = useWidth(840);
  const axis = useTimeAxis();
  const x = axisX(axis, width);
  const height = lanesHeight(parts.length);
  return (
    <div ref={follow} className="position-relative">
      <svg width={width} height={height} role="group" aria-label="Gain of every ducked part over the loop">
        <clipPath id="lanes-in-sight">
          <rect x={LEFT} y={0} width={Math.max(0, width - LEFT - AXIS_RIGHT)} height={height} />
        </clipPath>
        {parts.map((one, row) => {
          const top = row * ROW + 3;
          const tall = ROW - 8;
          const y = (db: number) => top + (Math.min(DEEPEST_DB, Math.max(LIFTED_DB, -db)) / DEEPEST_DB) * tall;
          const line = one.lane_beats
            .map((at, i) => `${x(at).toFixed(1)} ${y(one.lane_db[i] ?? 0).toFixed(1)}`)
            .join("L");
          const deepest = Math.min(0, ...one.lane_db);
          const losses = one.guards.bar_losses_lu;
          const heard = losses.filter((loss) => loss !== null);
          const jumps = (one.guards.level_jump_lu ?? 0) > jumpLu ? losses.indexOf(Math.max(...heard)) : -1;
          return (
            <g
              key={one.part}
              role="button"
              tabIndex={0}
              aria-pressed={one.part === chosen}
              aria-label={`${one.name}: down to ${figure(deepest, "dB")}, ${one.keys_beats.length} keys${jumps < 0 ? "" : `, jumps by ${figure(one.guards.level_jump_lu, "LU")} in bar ${jumps + 1}`}`}
              style={{ cursor: "pointer" }}
              onClick={() => onChoose(one.part)}
              onKeyDown={(event) => {
                if (event.key === "Enter" || event.key === " ") {
                  event.preventDefault();
                  onChoose(one.part);
                }
              }}
            >
              <rect
                x={LEFT}
                y={top}
                width={Math.max(0, width - LEFT - AXIS_RIGHT)}
                height={tall}
                fill="var(--card)"
                stroke={one.part === chosen ? "var(--ink)" : "var(--line)"}
              />
              <text
                x={LEFT - 8}
                y={top + tall / 2 + 4}
                textAnchor="end"
                className={one.part === chosen ? "strong" : ""}
              >
                {one.name.slice(0, 9)}
              </text>
              <g clipPath="url(#lanes-in-sight)">
                <path d={`M${x(0)} ${top}L${line}L${x(beats)} ${top}Z`} fill="var(--room)" opacity={0.3} />
                <path d={`M${line}`} fill="none" stroke="var(--room)" strokeWidth={1.4} />
                {jumps >= 0 && (
                  <path
                    d={`M${x(jumps * BAR_BEATS) + 4} ${top + tall - 4}h12l-6 -11Z`}
                    fill="var(--clash)"
                    data-testid="jump"
                  />
                )}
                {one.keys_beats.map((at) => (
                  <line key={at} x1={x(at)} x2={x(at)} y1={top + tall - 5} y2={top + tall} stroke="var(--kick)" />
                ))}
              </g>
            </g>
          );
        })}
        <g clipPath="url(#lanes-in-sight)">
          {Array.from({ length: beats / BAR_BEATS }, (_, bar) => (
            <line
              key={bar}
              x1={x(bar * BAR_BEATS)}
              x2={x(bar * BAR_BEATS)}
              y1={0}
              y2={height - BOTTOM}
              stroke="var(--soft)"
              strokeWidth={0.6}
            />
          ))}
        </g>
        <BeatNames width={width} y={height - 3} every={4} />
      </svg>
      <Playhead width={width} top={0} height={height - BOTTOM} />
    </div>
  );
}
