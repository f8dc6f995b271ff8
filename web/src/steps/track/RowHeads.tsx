import { useState } from "react";
import { Dropdown, Form } from "react-bootstrap";
import { BASS, KICK, withPart } from "../../api/parts";
import type { Part } from "../../api/types";
import { useNotices } from "../../frame/notices";
import { AXIS_LEFT } from "../../plots/axis";
import { useEditor } from "../../queries/editor";
import { withoutHit } from "../duck/duckedParts";
import { cleared, FILLS, filledRow } from "./bars";
import { HIT_ROW } from "./HitRows";

/** The names of the rows, each with what may be done to its row: fill, clear, mute, rename, remove. */
export function RowHeads({ hits }: { hits: Part[] }) {
  return (
    <div className="row-heads" style={{ width: AXIS_LEFT - 4 }}>
      {hits.map((one) => (
        <RowHead key={one.id} one={one} />
      ))}
    </div>
  );
}

function RowHead({ one }: { one: Part }) {
  const editor = useEditor();
  const { say } = useNotices();
  const [open, setOpen] = useState(false);
  const [name, setName] = useState(one.name);
  const { bars } = editor.track.sheet;
  const all = { first: 1, last: bars };
  const kit = one.id !== KICK && one.id !== BASS;
  const done = (label: string) => {
    setOpen(false);
    say({ text: `${label}.`, undo: editor.undo, step: label });
  };
  return (
    <Dropdown
      show={open}
      onToggle={(next) => {
        setName(one.name);
        setOpen(next);
      }}
      autoClose="outside"
    >
      <Dropdown.Toggle
        as="button"
        type="button"
        className={`row-head ${one.muted ? "muted" : ""} ${one.id === KICK ? "strong" : ""}`}
        style={{ height: HIT_ROW }}
        aria-label={`${one.name}${one.muted ? ", muted" : ""}: its row`}
        title={`${one.name}${one.muted ? ", muted" : ""}: fill, clear, mute, rename, remove`}
      >
        {one.name.toLowerCase()}
      </Dropdown.Toggle>
      <Dropdown.Menu>
        {open && (
          <>
            <Dropdown.Header>Fill all {bars} bars</Dropdown.Header>
            {FILLS.map((fill) => (
              <Dropdown.Item
                as="button"
                key={fill.name}
                onClick={() => {
                  const label = `${one.name}: ${fill.name.toLowerCase()}`;
                  editor.edit(label, (now) => filledRow(now, one.id, all, fill));
                  done(label);
                }}
              >
                {fill.name}
              </Dropdown.Item>
            ))}
            <Dropdown.Item
              as="button"
              onClick={() => {
                const label = `Clear the row of ${one.name}`;
                editor.edit(label, (now) => cleared(now, all, one.id));
                done(label);
              }}
            >
              Clear the row
            </Dropdown.Item>
            <Dropdown.Divider />
            <Dropdown.Item
              as="button"
              onClick={() => {
                const label = one.muted ? `${one.name} sounds again` : `Mute ${one.name}`;
                editor.edit(label, (now) => withPart(now, one.id, (part) => ({ ...part, muted: !part.muted })));
                done(label);
              }}
            >
              {one.muted ? "Let it sound" : "Mute"}
            </Dropdown.Item>
            {kit && (
              <>
                <Form
                  className="d-flex gap-2 px-3 py-1"
                  onSubmit={(event) => {
                    event.preventDefault();
                    const wanted = name.trim();
                    if (!wanted || wanted === one.name) return setOpen(false);
                    const label = `Rename ${one.name} to ${wanted}`;
                    editor.edit(label, (now) => withPart(now, one.id, (part) => ({ ...part, name: wanted })));
                    done(label);
                  }}
                >
                  <Form.Control
                    size="sm"
                    aria-label={`Name of ${one.name}`}
                    maxLength={40}
                    value={name}
                    onChange={(event) => setName(event.target.value)}
                  />
                  <button type="submit" className="btn btn-plain">
                    Rename
                  </button>
                </Form>
                <Dropdown.Item
                  as="button"
                  onClick={() => {
                    const label = `Remove ${one.name}`;
                    editor.edit(label, (now) => withoutHit(now, one.id));
                    done(label);
                  }}
                >
                  Remove
                </Dropdown.Item>
              </>
            )}
          </>
        )}
      </Dropdown.Menu>
    </Dropdown>
  );
}
