import { useState } from "react";
import { Dropdown } from "react-bootstrap";
import { BASS, KICK } from "../api/parts";
import { type Band, bandName } from "../audio/band";
import { usePlayer } from "../audio/usePlayer";
import { useEditor } from "../queries/editor";
import { partName } from "../steps/duck/duckedParts";

const BANDS: { id: Band; key: string }[] = [
  { id: "low", key: "L" },
  { id: "middle", key: "O" },
  { id: "top", key: "P" },
];
const KEYS: Record<string, string> = { [KICK]: "K", [BASS]: "B" };

/** What is heard alone, lit and named: a part, a band, or all; and the way to any of them. */
export function Alone() {
  const { track } = useEditor();
  const [open, setOpen] = useState(false);
  const [player, { solo, free, band }] = usePlayer();
  const said = [
    solo && `${partName(track, solo)} alone`,
    free && `${partName(track, free)} without its duck`,
    band !== "all" && `${bandName(band)} alone`,
  ].filter(Boolean);
  const all = () => {
    player.setSolo(null);
    player.setFree(null);
    player.setBand("all");
  };
  return (
    <Dropdown show={open} onToggle={setOpen}>
      <Dropdown.Toggle
        variant="plain"
        className={said.length ? "alone lit" : "alone"}
        aria-label={`Heard: ${said.length ? said.join(", ") : "all parts"}`}
      >
        {said.length ? said.join(", ") : "all parts"}
      </Dropdown.Toggle>
      <Dropdown.Menu>
        {open && (
          <>
            <Dropdown.Item as="button" active={said.length === 0} onClick={all}>
              All parts
            </Dropdown.Item>
            <Dropdown.Header>A part alone</Dropdown.Header>
            {track.parts.map((one) => (
              <Dropdown.Item
                key={one.id}
                as="button"
                active={solo === one.id}
                onClick={() => player.setSolo(solo === one.id ? null : one.id)}
              >
                {one.name} {KEYS[one.id] && <kbd>{KEYS[one.id]}</kbd>}
              </Dropdown.Item>
            ))}
            <Dropdown.Header>A band alone</Dropdown.Header>
            {BANDS.map((one) => (
              <Dropdown.Item
                key={one.id}
                as="button"
                active={band === one.id}
                onClick={() => player.setBand(band === one.id ? "all" : one.id)}
              >
                {bandName(one.id)} <kbd>{one.key}</kbd>
              </Dropdown.Item>
            ))}
          </>
        )}
      </Dropdown.Menu>
    </Dropdown>
  );
}
