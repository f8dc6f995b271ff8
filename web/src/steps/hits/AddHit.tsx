import { useState } from "react";
import { Dropdown } from "react-bootstrap";
import type { MeasuredStart, Role } from "../../api/types";
import { LoadButton } from "../../takes/LoadButton";
import { ROLES } from "./pads";
import { StartList } from "./StartList";

interface Props {
  disabled: boolean;
  onAdd: (start: MeasuredStart) => void;
}

/** A hit more: first its role, then where to start; it comes with a usual pattern, so that it is heard at once. */
export function AddHit({ disabled, onAdd }: Props) {
  const [open, setOpen] = useState(false);
  const [role, setRole] = useState<Role>("snare");
  return (
    <Dropdown show={open} onToggle={setOpen} autoClose="outside">
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
