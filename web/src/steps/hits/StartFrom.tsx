import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Dropdown } from "react-bootstrap";
import { figure, pretty } from "../../controls/figures";
import { useEditor } from "../../queries/editor";
import { startsQuery } from "../../queries/queries";

/** Whole kicks to begin with, each in tune with the track and with what it measures. */
export function StartFrom() {
  const editor = useEditor();
  const [open, setOpen] = useState(false);
  const { state } = editor;
  const sheet = state.track.sheet;
  const starts = useQuery({ ...startsQuery(state.id, state.revision, sheet), enabled: open });
  return (
    <Dropdown align="end" show={open} onToggle={setOpen}>
      <Dropdown.Toggle variant="plain">Start from</Dropdown.Toggle>
      <Dropdown.Menu className="starts">
        {starts.isPending && <p className="soft px-3 m-0">Rendering and measuring them in your key…</p>}
        {starts.isError && <p className="clash-text px-3 m-0">{starts.error.message}</p>}
        {starts.data?.map((start) => (
          <Dropdown.Item
            key={start.name}
            as="button"
            onClick={() => editor.edit(`Start from ${start.name}`, (track) => ({ ...track, kick: start.hit }))}
          >
            <b>{start.name}</b> <span className="soft">{start.help}</span>
            <span className="mono figures-of">
              {start.note ? pretty(start.note) : "no pitch"} {start.verdict} · {figure(start.length_ms, "ms")} ·{" "}
              {figure(start.length_beats, "beats")} · mostly {start.strongest_zone}
            </span>
          </Dropdown.Item>
        ))}
      </Dropdown.Menu>
    </Dropdown>
  );
}
