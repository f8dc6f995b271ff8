import { useQuery } from "@tanstack/react-query";
import { createContext, useContext, useRef, useState } from "react";
import { Dropdown } from "react-bootstrap";
import type { LoadedTake } from "../api/types";
import { figure } from "../controls/figures";
import { takesQuery } from "../queries/queries";

/** Takes files from anywhere on the page. */
export const LoadContext = createContext<(files: File[]) => void>(() => undefined);
/** Takes a sound that was loaded before. */
export const AgainContext = createContext<(take: LoadedTake) => void>(() => undefined);

/** Chooses sound files; dropping them on the page does the same. */
export function LoadButton() {
  const load = useContext(LoadContext);
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <input
        ref={input}
        type="file"
        className="visually-hidden"
        tabIndex={-1}
        multiple
        accept=".wav,.aif,.aiff,.flac,.ogg,.mp3,audio/*,video/*"
        aria-label="Sound files"
        onChange={(event) => {
          load([...(event.target.files ?? [])]);
          event.target.value = "";
        }}
      />
      <button
        type="button"
        className="btn btn-plain"
        title="WAV, AIFF, FLAC, OGG or MP3; or drop them anywhere on the page"
        onClick={() => input.current?.click()}
      >
        Load sounds
      </button>
      <LoadedBefore />
    </>
  );
}

/** Sounds that are here already: used again without their file. */
function LoadedBefore() {
  const again = useContext(AgainContext);
  const [open, setOpen] = useState(false);
  const known = useQuery({ ...takesQuery(), enabled: open });
  return (
    <Dropdown align="end" show={open} onToggle={setOpen} className="d-inline-block ms-1">
      <Dropdown.Toggle variant="plain" title="Sounds that were loaded before, into any track">
        Loaded before
      </Dropdown.Toggle>
      <Dropdown.Menu className="loaded-before">
        {known.data?.length === 0 && <Dropdown.ItemText className="soft">No sound was loaded yet.</Dropdown.ItemText>}
        {known.isError && <Dropdown.ItemText className="clash-text">{known.error.message}</Dropdown.ItemText>}
        {known.data?.map((take) => (
          <Dropdown.Item key={take.id} as="button" onClick={() => again(take)}>
            <b>{take.name}</b>{" "}
            <span className="soft mono">
              {figure(take.duration_ms, "ms")}
              {take.landing_hz ? `, ${figure(take.landing_hz, "Hz")}` : ""}
            </span>
          </Dropdown.Item>
        ))}
      </Dropdown.Menu>
    </Dropdown>
  );
}
