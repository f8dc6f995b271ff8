import { useState } from "react";
import { Dropdown } from "react-bootstrap";
import type { MeasuredStart, Role } from "../../api/types";
import { useEditor } from "../../queries/editor";
import { LoadButton } from "../../takes/LoadButton";
import { ROLES } from "./pads";
import { StartList } from "./StartList";

interface Props {
  disabled: boolean;
  onAdd: (start: MeasuredStart) => void;
}

/** What a kit usually has, in the order in which it is put together: the first that is missing is shown. */
const USUAL: Role[] = ["clap", "hat", "open hat", "snare", "percussion", "tom"];

/** A hit more: first its role, then where to start; it comes with a usual pattern, so that it is heard at once. */
export function AddHit({ disabled, onAdd }: Props) {
  const [open, setOpen] = useState(false);
  const { track } = useEditor();
  const [role, setRole] = useState<Role>("clap");
  return (
    <Dropdown
      show={open}
      onToggle={(next) => {
        if (next) setRole(USUAL.find((one) => !track.parts.some((part) => part.role === one)) ?? role);
        setOpen(next);
      }}
      autoClose="outside"
    >
      <Dropdown.Toggle variant="plain" disabled={disabled}>
        Add a hit
      </Dropdown.Toggle>
      <Dropdown.Menu className="starts">
        <div className="roles" role="radiogroup" aria-label="Role">
          {ROLES.map((one) => (
            <button
              type="button"
              key={one.id}
              role="radio"
              aria-checked={role === one.id}
              className="btn btn-plain"
              onClick={() => setRole(one.id)}
            >
              {one.name}
            </button>
          ))}
        </div>
        <div className="together mb-1">
          <LoadButton />
          <span className="soft small">as a hit or a layer; or drop files anywhere on the page</span>
        </div>
        <StartList
          role={role}
          open={open}
          onStart={(start) => {
            setOpen(false);
            onAdd(start);
          }}
        />
      </Dropdown.Menu>
    </Dropdown>
  );
}
