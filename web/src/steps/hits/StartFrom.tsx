import { useState } from "react";
import { Dropdown } from "react-bootstrap";
import type { Hit, Role } from "../../api/types";
import { StartList } from "./StartList";

/** Another whole sound for the hit on the bench. */
export function StartFrom({ role, onChoose }: { role: Role; onChoose: (hit: Hit, name: string) => void }) {
  const [open, setOpen] = useState(false);
  const choose = (hit: Hit, name: string) => {
    setOpen(false);
    onChoose(hit, name);
  };
  return (
    <Dropdown align="end" show={open} onToggle={setOpen}>
      <Dropdown.Toggle variant="plain">Start from</Dropdown.Toggle>
      <Dropdown.Menu className="starts">
        <StartList role={role} open={open} onStart={(start) => choose(start.hit, start.name)} onKept={choose} />
      </Dropdown.Menu>
    </Dropdown>
  );
}
