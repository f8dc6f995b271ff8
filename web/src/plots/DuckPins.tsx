import { figure } from "../controls/figures";
import type { Pin } from "./duckShape";

interface Props {
  pins: Pin[];
  x: (ms: number) => number;
  y: (db: number) => number;
  right: number;
}

const NOTHING_DB = -150;
/** Above this stand the notes and their names. */
const NOTES_PX = 44;

/** What a duck may do wrong, where it does: a ring where it is fine, a filled triangle with its name where it is over. */
export function DuckPins({ pins, x, y, right }: Props) {
  return (
    <g>
      {pins.map((one) => {
        const [px, py] = [x(one.ms), y(one.db) + (one.db === 0 ? 12 : 0)];
        const value = one.value < NOTHING_DB ? "none" : figure(one.value, one.unit);
        const said = `${one.name}: ${value}${one.over ? ", over its limit" : ""}`;
        const end = px > right - 130;
        return (
          <g key={`${one.name}${one.ms}`} data-pin={one.name}>
            <title>{said}</title>
            {one.over ? (
              <>
                <path d={`M${px - 6} ${py + 5}H${px + 6}L${px} ${py - 6}Z`} fill="var(--clash)" />
                <text
                  x={px + (end ? -9 : 9)}
                  y={py + (py < NOTES_PX ? 26 : one.db < 0 ? -9 : 4)}
                  textAnchor={end ? "end" : "start"}
                  style={{ fill: "var(--clash-text)", stroke: "var(--card)", strokeWidth: 4, paintOrder: "stroke" }}
                >
                  {said.replace(", over its limit", "")}
                </text>
              </>
            ) : (
              <circle cx={px} cy={py} r={3.5} fill="var(--paper)" stroke="var(--soft)" strokeWidth={1.2} />
            )}
          </g>
        );
      })}
    </g>
  );
}
