import { useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useId, useState } from "react";
import { Dropdown, Form } from "react-bootstrap";
import { api } from "../api/client";
import type { TrackLine, TrackState } from "../api/types";
import { keepArrows } from "../controls/Choice";
import { dated } from "../controls/dated";
import { figure, pretty } from "../controls/figures";
import { useEditor } from "../queries/editor";
import { useChoices, useParameter } from "../queries/parameters";
import { keys } from "../queries/queries";
import { useNotices } from "./notices";
import "./menu.css";

interface Props {
  tracks: TrackLine[];
  onOpen: (id: string) => void;
}

/** The track that is open, and all others: a new one in one line; open, rename, duplicate, put away. */
export function TracksMenu({ tracks, onOpen }: Props) {
  const editor = useEditor();
  const { track, state } = editor;
  const { say } = useNotices();
  const cache = useQueryClient();
  const [open, setOpen] = useState(false);
  const [trouble, setTrouble] = useState<string | null>(null);
  const [naming, setNaming] = useState<string | null>(null);
  const again = () => cache.invalidateQueries({ queryKey: keys.tracks });
  const attempt = async (act: () => Promise<void>) => {
    setTrouble(null);
    try {
      await act();
      await again();
    } catch (error) {
      setTrouble(error instanceof Error ? error.message : String(error));
    }
  };
  const opened = (made: { id: string; name: string }, how: string) => {
    setOpen(false);
    onOpen(made.id);
    say({ text: `${made.name} is ${how}. ${track.name} is kept as it stands.` });
  };
  const made = (found: TrackState, how: string) =>
    again().then(() => opened({ id: found.id, name: found.track.name }, how));
  const away = (one: TrackLine) =>
    attempt(async () => {
      await api.archiveTrack(one.id, true);
      await cache.invalidateQueries({ queryKey: keys.data });
      say({
        text: `${one.name} is removed from the list. Nothing of it is lost: it lies under Your data.`,
        undo: () =>
          void attempt(async () => {
            await api.archiveTrack(one.id, false);
            await cache.invalidateQueries({ queryKey: keys.data });
          }),
      });
    });
  return (
    <Dropdown
      show={open}
      onToggle={(next) => {
        setOpen(next);
        setNaming(null);
        if (next) void again();
      }}
      autoClose="outside"
      className="track-name"
    >
      <Dropdown.Toggle variant="plain" title={track.name} aria-label={`${track.name}: all tracks`}>
        {track.name}
      </Dropdown.Toggle>
      <Dropdown.Menu className="tracks-menu">
        {open && (
          <>
            <NewTrack
              onBegin={(name, sheet) =>
                attempt(async () => made(await api.newTrack(name, sheet), "begun and open, empty"))
              }
            />
            {trouble && (
              <p className="clash-text small mb-0" role="alert">
                {trouble}
              </p>
            )}
            <ul className="track-lines">
              {tracks.map((one) => (
                <li key={one.id} className={one.id === state.id ? "open" : undefined}>
                  <Sketch one={one} />
                  {naming === one.id ? (
                    <Naming
                      one={one}
                      onName={(name) =>
                        attempt(async () => {
                          setNaming(null);
                          // The open one by an edit of its own, so that undo is where it is looked for.
                          if (one.id === state.id) return editor.edit("Rename", (now) => ({ ...now, name }));
                          const found = await api.renameTrack(one.id, name);
                          cache.setQueryData(keys.track(one.id), found);
                        })
                      }
                    />
                  ) : (
                    <span className="what">
                      <strong>{one.id === state.id ? track.name : one.name}</strong>
                      <span className="soft small">
                        {pretty(one.tonic)} {one.scale}, <span className="mono">{figure(one.bpm, "BPM")}</span>,{" "}
                        {dated(one.changed_at)}
                      </span>
                    </span>
                  )}
                  <span className="together">
                    {one.id === state.id ? (
                      <span className="soft small">open now</span>
                    ) : (
                      <button
                        type="button"
                        className="btn btn-strong"
                        aria-label={`Open ${one.name}`}
                        onClick={() => opened(one, "open")}
                      >
                        Open
                      </button>
                    )}
                    <button
                      type="button"
                      className="btn btn-plain"
                      aria-label={`Rename ${one.name}`}
                      onClick={() => setNaming(one.id)}
                    >
                      Rename
                    </button>
                    <button
                      type="button"
                      className="btn btn-plain"
                      aria-label={`Duplicate ${one.name}`}
                      onClick={() =>
                        void attempt(async () =>
                          made(await api.duplicateTrack(one.id), `open: it is ${one.name} as it stands`),
                        )
                      }
                    >
                      Duplicate
                    </button>
                    <button
                      type="button"
                      className="btn btn-plain"
                      aria-label={`Remove ${one.name}`}
                      onClick={() => void away(one)}
                    >
                      Remove
                    </button>
                  </span>
                </li>
              ))}
            </ul>
          </>
        )}
      </Dropdown.Menu>
    </Dropdown>
  );
}

interface Begin {
  onBegin: (name: string | null, sheet: { tonic: string; scale: string; bpm: number }) => void;
}

/** Name, key and tempo of a new track, in one line. */
function NewTrack({ onBegin }: Begin) {
  const { sheet } = useEditor().track;
  const [name, setName] = useState("");
  const [tonic, setTonic] = useState<string>(sheet.tonic);
  const [scale, setScale] = useState<string>(sheet.scale);
  const [bpm, setBpm] = useState(String(sheet.bpm));
  const tonics = useChoices("Sheet", "tonic");
  const scales = useChoices("Sheet", "scale");
  const range = useParameter("Sheet", "bpm");
  const id = useId();
  const said = Number(bpm);
  const fits = bpm.trim() !== "" && said >= range.minimum && said <= range.maximum;
  const begin = (event: FormEvent) => {
    event.preventDefault();
    if (fits) onBegin(name.trim() || null, { tonic, scale, bpm: said });
  };
  return (
    <Form onSubmit={begin} className="new-track" aria-label="New track">
      <div className="field">
        <label htmlFor={`${id}-name`}>Name</label>
        <Form.Control
          id={`${id}-name`}
          size="sm"
          maxLength={80}
          placeholder="Untitled"
          value={name}
          onChange={(event) => setName(event.target.value)}
        />
      </div>
      <div className="field">
        <label htmlFor={`${id}-key`}>Key</label>
        <Form.Select
          id={`${id}-key`}
          size="sm"
          onKeyDown={keepArrows}
          value={tonic}
          onChange={(event) => setTonic(event.target.value)}
        >
          {tonics.map(String).map((one) => (
            <option key={one} value={one}>
              {pretty(one)}
            </option>
          ))}
        </Form.Select>
      </div>
      <div className="field">
        <label htmlFor={`${id}-scale`}>Scale</label>
        <Form.Select
          id={`${id}-scale`}
          size="sm"
          onKeyDown={keepArrows}
          value={scale}
          onChange={(event) => setScale(event.target.value)}
        >
          {scales.map(String).map((one) => (
            <option key={one}>{one}</option>
          ))}
        </Form.Select>
      </div>
      <div className="field">
        <label htmlFor={`${id}-bpm`}>Tempo, BPM</label>
        <Form.Control
          id={`${id}-bpm`}
          size="sm"
          inputMode="decimal"
          isInvalid={!fits}
          title={`${range.minimum} to ${range.maximum} BPM`}
          value={bpm}
          onChange={(event) => setBpm(event.target.value)}
        />
      </div>
      <button type="submit" className="btn btn-strong" disabled={!fits}>
        New track
      </button>
    </Form>
  );
}

/** What is written in a track: its kicks below, its notes by pitch. */
function Sketch({ one }: { one: TrackLine }) {
  const [width, height] = [86, 26];
  const x = (at: number) => (at / one.length_beats) * width;
  const pitches = one.notes.map(([, , note = 0]) => note);
  const [low, high] = [Math.min(...pitches), Math.max(...pitches)];
  const y = (note: number) => 2 + ((high - note) / Math.max(1, high - low)) * (height - 12);
  return (
    <svg
      width={width}
      height={height}
      role="img"
      aria-label={`${one.length_beats / 4} bars, ${one.kicks.length} kicks, ${one.notes.length} bass notes`}
    >
      <rect width={width} height={height} fill="var(--band)" rx={2} />
      {one.notes.map(([at = 0, length = 0, note = 0]) => (
        <rect
          key={`${at} ${note}`}
          x={x(at)}
          y={y(note)}
          width={Math.max(1, x(length) - 0.5)}
          height={3}
          fill="var(--bass)"
        />
      ))}
      {one.kicks.map((at) => (
        <rect key={at} x={x(at)} y={height - 7} width={1.6} height={6} fill="var(--kick)" />
      ))}
    </svg>
  );
}

function Naming({ one, onName }: { one: TrackLine; onName: (name: string) => void }) {
  const [name, setName] = useState(one.name);
  return (
    <Form
      className="d-flex gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (name.trim()) onName(name.trim());
      }}
    >
      <Form.Control
        size="sm"
        autoFocus
        aria-label={`New name of ${one.name}`}
        maxLength={80}
        value={name}
        onChange={(event) => setName(event.target.value)}
      />
      <button type="submit" className="btn btn-plain" disabled={!name.trim()}>
        Call it so
      </button>
    </Form>
  );
}
