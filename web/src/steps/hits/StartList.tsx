import { useQuery } from "@tanstack/react-query";
import { Dropdown } from "react-bootstrap";
import type { Hit, MeasuredStart, Role } from "../../api/types";
import { figure, pretty } from "../../controls/figures";
import { useEditor } from "../../queries/editor";
import { keptQuery, startsQuery } from "../../queries/queries";

interface Props {
  role: Role;
  open: boolean;
  onStart: (start: MeasuredStart) => void;
  onKept?: (hit: Hit, name: string) => void;
}

/** Starting points of a role, each in tune with the track and with what it measures; then what was kept. */
export function StartList({ role, open, onStart, onKept }: Props) {
  const { state } = useEditor();
  const starts = useQuery({ ...startsQuery(state.id, state.revision, state.track, role), enabled: open });
  const kept = useQuery({ ...keptQuery(), enabled: open && onKept !== undefined });
  const own = kept.data?.filter((one) => one.kind === "hit" && one.role === role) ?? [];
  return (
    <>
      {starts.isPending && <p className="soft px-3 m-0">Rendering and measuring them in your key…</p>}
      {starts.isError && <p className="clash-text px-3 m-0">{starts.error.message}</p>}
      {starts.data?.map((start) => (
        <Dropdown.Item key={start.name} as="button" onClick={() => onStart(start)}>
          <b>{start.name}</b> <span className="soft">{start.help}</span>
          <span className="mono figures-of">
            {start.family} · {start.note ? `${pretty(start.note)} ${start.verdict}` : "no pitch"} ·{" "}
            {figure(start.length_ms, "ms")} · {figure(start.length_beats, "beats")} · mostly {start.strongest_zone}
            {start.unlike.length > 0 && ` · unlike recorded ones: ${start.unlike.join(", ")}`}
          </span>
        </Dropdown.Item>
      ))}
      {own.length > 0 && <Dropdown.Header>Kept by you</Dropdown.Header>}
      {own.map((one) => (
        <Dropdown.Item key={one.id} as="button" onClick={() => onKept?.(one.hit, one.name)}>
          <b>{one.name}</b>
          <span className="mono figures-of">
            {figure(one.features.length_ms, "ms")} · low end {figure(one.features.sub_db, "dB")} · bright at{" "}
            {figure(one.features.brightness_hz, "Hz")}
          </span>
        </Dropdown.Item>
      ))}
    </>
  );
}
