import { memo } from "react";
import type { HitOnLadder, Way } from "../../api/types";
import { figure, pretty, prettyText } from "../../controls/figures";
import { useSaved } from "../../queries/editor";

interface Props {
  hit: HitOnLadder;
  way: Way;
  fresh: boolean;
}

type SchoolView = HitOnLadder["schools"][number];

const SCHOOLS: Record<SchoolView["school"], { name: string; verb: string }> = {
  tonic: { name: "On the tonic", verb: "Land there" },
  fifth: { name: "On the fifth", verb: "Land there" },
  chords: { name: "Following the chords", verb: "Follow them" },
  unpitched: { name: "Short and unpitched", verb: "Make it short" },
};

/** What each school of tuning asks of a hit, in words and cents, each applied as one step. */
export const Schools = memo(function Schools({ hit, way, fresh }: Props) {
  const editor = useSaved();
  return (
    <ul className="schools" aria-label="Schools of tuning">
      {hit.schools.map((one) => {
        const { name, verb } = SCHOOLS[one.school];
        // One pitch for all strokes is a school as well: it is applied while any stroke has another.
        const there = one.target?.is_there === true && hit.stroke_cents.length === 0 && one.school !== "chords";
        return (
          <li key={one.school}>
            <span>
              <strong>{name}</strong>{" "}
              {one.target && (
                <span className="mono">
                  {pretty(one.target.name)} {figure(one.target.shift_cents, "ct", { sign: true })}
                </span>
              )}{" "}
              <span className="soft">{prettyText(one.reason)}</span>
            </span>
            <button
              type="button"
              className="btn btn-plain same-width"
              aria-label={`${hit.name}: ${name.toLowerCase()}`}
              disabled={editor.busy !== null || !fresh || there || !canApply(one)}
              onClick={() =>
                editor.send(
                  { kind: "school", part: hit.id, school: one.school, way },
                  `${hit.name}: ${name.toLowerCase()}`,
                )
              }
            >
              {there ? "there" : verb}
            </button>
          </li>
        );
      })}
    </ul>
  );
});

const canApply = (one: SchoolView) => one.target !== null || one.school === "unpitched";
