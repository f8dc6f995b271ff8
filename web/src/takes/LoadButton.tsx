import { createContext, useContext, useRef } from "react";

/** Takes files from anywhere on the page. */
export const LoadContext = createContext<(files: File[]) => void>(() => undefined);

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
        accept=".wav,.aif,.aiff,.flac,.ogg,.mp3,audio/*"
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
    </>
  );
}
