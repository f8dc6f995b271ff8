import { Dropdown } from "react-bootstrap";
import { useEditor } from "../../queries/editor";
import { useMost } from "../../queries/parameters";
import { BusOfGroup } from "./BusOfGroup";
import { STARTS, withBus } from "./groups";
import { SharedSpaces } from "./SharedSpaces";

/** Parts that share a bus: what holds their sum together, and what that does to each of them. */
export function BusesBench() {
  const editor = useEditor();
  const { groups } = editor.track;
  const most = useMost("Track", "groups");
  return (
    <section aria-label="Buses">
      <div className="bench-head">
        <h2>Buses</h2>
        <span className="soft">parts whose sum goes through filters, a compressor, a soft clip, a limiter</span>
        <Dropdown className="ms-auto">
          <Dropdown.Toggle variant="plain" disabled={groups.length >= most}>
            Add a bus
          </Dropdown.Toggle>
          <Dropdown.Menu align="end">
            {STARTS.map((start) => (
              <Dropdown.Item
                key={start.name}
                as="button"
                disabled={start.whole && groups.some((one) => one.whole)}
                onClick={() => editor.edit(`Add a bus: ${start.name}`, (track) => withBus(track, start))}
              >
                {start.name}
              </Dropdown.Item>
            ))}
          </Dropdown.Menu>
        </Dropdown>
      </div>
      {groups.length === 0 && (
        <p className="soft">
          No part shares a bus. A new one is empty and changes nothing until a processor is put on it; what it adds is
          a stem of its own, so that all stems still sum to the loop.
        </p>
      )}
      {groups.map((group) => (
        <BusOfGroup key={group.id} group={group} />
      ))}
      <SharedSpaces />
    </section>
  );
}
