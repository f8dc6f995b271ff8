import { useState } from "react";
import { Dropdown } from "react-bootstrap";
import type { Track } from "../../api/types";
import { Choice } from "../../controls/Choice";
import { useNotices } from "../../frame/notices";
import { useEditor } from "../../queries/editor";
import { type Clip, cleared, copied, pasted, repeated } from "./bars";

const ALL = "every row";
/** It outlives the page's parts: bars are copied here and put in there. */
let clip: Clip | null = null;

/** Copy, paste, repeat and clear any bars of any rows. */
export function BarTools() {
  const editor = useEditor();
  const { say } = useNotices();
  const { track } = editor;
  const { bars } = track.sheet;
  const [open, setOpen] = useState(false);
  const [first, setFirst] = useState(1);
  const [last, setLast] = useState(1);
  const [row, setRow] = useState(ALL);
  const [, again] = useState(0);
  const span = { first: Math.min(first, bars), last: Math.min(bars, Math.max(first, last)) };
  const only = row === ALL ? null : row;
  const of = only ? (track.parts.find((one) => one.id === only)?.name ?? only) : "all rows";
  const named = span.first === span.last ? `bar ${span.first}` : `bars ${span.first} to ${span.last}`;
  const numbers = Array.from({ length: bars }, (_, bar) => ({ value: bar + 1, label: String(bar + 1) }));
  const put = (label: string, change: (now: Track) => Track) => {
    if (JSON.stringify(change(track).parts) === JSON.stringify(track.parts)) {
      say({ text: `${label} changes nothing: ${of} ${only ? "has" : "have"} it so already.` });
      return;
    }
    editor.edit(label, change);
    setOpen(false);
    say({ text: `${label}: ${of}.`, undo: editor.undo, step: label });
  };
  return (
    <Dropdown show={open} onToggle={setOpen} autoClose="outside" align="end">
      <Dropdown.Toggle variant="plain">Bars</Dropdown.Toggle>
      <Dropdown.Menu className="bar-tools">
        <div className="d-flex gap-2 align-items-end">
          <Choice label="From bar" value={span.first} options={numbers} onChange={setFirst} />
          <Choice
            label="to bar"
            value={span.last}
            options={numbers.filter((one) => one.value >= span.first)}
            onChange={setLast}
          />
          <Choice
            label="Rows"
            value={row}
            options={[{ value: ALL, label: ALL }, ...track.parts.map((one) => ({ value: one.id, label: one.name }))]}
            onChange={setRow}
          />
        </div>
        <div className="d-flex gap-2 flex-wrap mt-2">
          <button
            type="button"
            className="btn btn-plain"
            onClick={() => {
              clip = copied(track, span, only);
              again((now) => now + 1);
              say({ text: `Copied ${named} of ${of}: choose where, then paste.` });
            }}
          >
            Copy
          </button>
          <button
            type="button"
            className="btn btn-plain"
            disabled={clip === null}
            onClick={() => {
              const held = clip;
              if (held) put(`Paste at bar ${span.first}`, (now) => pasted(now, held, span.first));
            }}
          >
            Paste at bar {span.first}
          </button>
          <button
            type="button"
            className="btn btn-plain"
            disabled={span.last >= bars}
            onClick={() => put(`Repeat ${named} to the end`, (now) => repeated(now, span, only))}
          >
            Repeat to the end
          </button>
          <button
            type="button"
            className="btn btn-plain"
            onClick={() => put(`Clear ${named}`, (now) => cleared(now, span, only))}
          >
            Clear
          </button>
        </div>
      </Dropdown.Menu>
    </Dropdown>
  );
}
