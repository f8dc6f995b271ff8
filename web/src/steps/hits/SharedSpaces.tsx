import { Dropdown } from "react-bootstrap";
import type { Track } from "../../api/types";
import { useEditor } from "../../queries/editor";
import { useMost, useSchema } from "../../queries/parameters";
import { freshId } from "./groups";
import { OneSpace } from "./OneSpace";

export type Space = Track["spaces"][number];

const KINDS: { kind: Space["kind"]; name: string }[] = [
  { kind: "room", name: "Room" },
  { kind: "echo", name: "Echo" },
];

/** Rooms and echoes that parts share. */
export function SharedSpaces() {
  const editor = useEditor();
  const schema = useSchema();
  const most = useMost("Track", "spaces");
  const { spaces } = editor.track;
  const add = (kind: Space["kind"], name: string) =>
    editor.edit(`Add a shared ${kind}`, (track) => {
      // Every setting as the model has it.
      const set = Object.entries(schema("SharedSpace")).flatMap(([key, one]) =>
        "default" in one ? [[key, one.default] as const] : [],
      );
      const made = { ...Object.fromEntries(set), ...freshId(track, kind, name), kind, sends: [] } as unknown as Space;
      return { ...track, spaces: [...track.spaces, made] };
    });
  return (
    <section aria-label="Shared spaces">
      <div className="bench-head">
        <h2>Shared spaces</h2>
        <span className="soft">
          rooms and echoes that parts are sent to, without lows, ducked by the kick where asked
        </span>
        <Dropdown className="ms-auto">
          <Dropdown.Toggle variant="plain" disabled={spaces.length >= most}>
            Add a space
          </Dropdown.Toggle>
          <Dropdown.Menu align="end">
            {KINDS.map(({ kind, name }) => (
              <Dropdown.Item key={kind} as="button" onClick={() => add(kind, name)}>
                {name}
              </Dropdown.Item>
            ))}
          </Dropdown.Menu>
        </Dropdown>
      </div>
      {spaces.map((space) => (
        <OneSpace key={space.id} space={space} />
      ))}
    </section>
  );
}
