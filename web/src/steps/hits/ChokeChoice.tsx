import type { Track } from "../../api/types";
import { Choice } from "../../controls/Choice";

interface Props {
  track: Track;
  id: string;
  value: number;
  onChange: (group: number) => void;
}

const NONE = 0;
const GROUPS = [1, 2, 3, 4, 5, 6, 7, 8];

/** Which parts cut each other where they start: hits, the kick and the bass alike. */
export function ChokeChoice({ track, id, value, onChange }: Props) {
  const partners = (group: number) =>
    track.parts.filter((other) => other.id !== id && other.choke === group).map((other) => other.name);
  return (
    <Choice
      label="Parts that cut each other"
      value={value}
      options={[
        { value: NONE, label: "none" },
        ...GROUPS.map((group) => ({
          value: group,
          label: `group ${group}${partners(group).length ? `: ${partners(group).join(", ")}` : ""}`,
        })),
      ]}
      onChange={onChange}
    />
  );
}
