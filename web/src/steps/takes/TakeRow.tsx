import { useQueryClient } from "@tanstack/react-query";
import { useContext, useState } from "react";
import { api } from "../../api/client";
import type { ListedTake } from "../../api/types";
import { figure } from "../../controls/figures";
import { useNotices } from "../../frame/notices";
import { useEditor } from "../../queries/editor";
import { keys, takesQuery } from "../../queries/queries";
import { AgainContext } from "../../takes/LoadButton";
import { wavePath } from "../hits/layers";
import { aRole, padLabel } from "../hits/pads";

const WIDTH = 160;
const HEIGHT = 30;

/** What of a sound is open. */
export type Opened = "impacts" | "cut" | "pattern" | "strokes" | "carries";

const OPENS: [Opened, string][] = [
  ["impacts", "Impacts"],
  ["cut", "Cut"],
  ["pattern", "Pattern"],
  ["strokes", "Strokes"],
  ["carries", "Carries"],
];

interface Props {
  take: ListedTake;
  all: ListedTake[];
  at: number;
  shown: Opened | null;
  /** Whether it is marked as one of several; null where nothing is marked. */
  marked: boolean | null;
  onHear: () => void;
  onShow: (what: Opened) => void;
  onMark: () => void;
}

/** What a sound is made of, in words. */
function originOf(take: ListedTake, all: ListedTake[]): string | null {
  const { made_of } = take;
  if (!made_of) return null;
  if (made_of.way === "recorded") return `recorded ${made_of.said}`;
  if (made_of.way === "printed")
    return `printed: ${made_of.said}${take.changed ? "; what it was printed from has changed since" : ""}`;
  const source = all.find((one) => one.id === made_of.take)?.name ?? "a sound that is put away";
  if (made_of.way === "reworked") return `${source}, ${made_of.said}`;
  if (made_of.way === "cleaned") return `${source} without ${made_of.said}`;
  // Of a long recording, which is no take.
  if (!made_of.take)
    return `cut ${made_of.said}${made_of.begin_s == null ? "" : ` at ${figure(made_of.begin_s, "s")}`}`;
  const how = made_of.said ? `, ${made_of.said}` : "";
  return `cut from ${source}${made_of.begin_s == null ? "" : ` at ${figure(made_of.begin_s, "s")}`}${how}`;
}

/** One sound of the shelf: heard, opened, used, called by another name, tagged, put away. */
export function TakeRow({ take, all, at, shown, marked, onHear, onShow, onMark }: Props) {
  const again = useContext(AgainContext);
  const cache = useQueryClient();
  const { state } = useEditor();
  const { say } = useNotices();
  const [editing, setEditing] = useState(false);
  const [trouble, setTrouble] = useState<string | null>(null);
  const full = Math.max(1e-4, ...take.high.map(Math.abs), ...take.low.map(Math.abs));
  const used = [...take.tracks, ...take.kept.map((name) => `${name} (kept)`)];
  const said = [
    figure(take.duration_ms / 1000, "s"),
    take.channels > 1 ? "two sides" : null,
    take.landing_hz ? `lands ${figure(take.landing_hz, "Hz")}` : null,
  ];
  const change = async (text: string, ask: () => Promise<unknown>, back?: () => Promise<unknown>) => {
    setTrouble(null);
    const fresh = () =>
      Promise.all([takesQuery().queryKey, keys.data].map((queryKey) => cache.invalidateQueries({ queryKey })));
    try {
      await ask();
      await fresh();
      say(back ? { text, undo: () => void back().then(fresh) } : { text });
      return true;
    } catch (error) {
      setTrouble(error instanceof Error ? error.message : String(error));
      return false;
    }
  };
  const put = () =>
    change(
      `${take.name} is put away. Nothing of it is removed.`,
      () => api.archiveTake(take.id, true),
      () => api.archiveTake(take.id, false),
    );
  const label = (name: string, tags: string[]) =>
    change(
      `${take.name} is ${name}${tags.length ? `, ${tags.join(", ")}` : ""} now.`,
      () => api.labelTake(take.id, name, tags),
      () => api.labelTake(take.id, take.name, take.tags),
    );
  return (
    <li aria-label={take.name}>
      {marked !== null && (
        <input
          type="checkbox"
          className="form-check-input"
          aria-label={`Mark ${take.name}`}
          checked={marked}
          onChange={onMark}
        />
      )}
      <button
        type="button"
        className="btn btn-plain heard"
        aria-label={`Hear ${take.name}`}
        onClick={onHear}
        title={padLabel(at) ? `Key ${padLabel(at)} while the list has the focus` : undefined}
      >
        {padLabel(at) ? <kbd>{padLabel(at)}</kbd> : "Hear"}
      </button>
      <svg width={WIDTH} height={HEIGHT} aria-hidden="true">
        <path d={wavePath(take.low, take.high, WIDTH, HEIGHT, full)} fill="var(--kick)" />
      </svg>
      {editing ? (
        <Named
          take={take}
          onLeave={() => setEditing(false)}
          onKeep={async (name, tags) => {
            // What is refused stays to be mended.
            if (await label(name, tags)) setEditing(false);
          }}
        />
      ) : (
        <span className="take-said">
          <strong>{take.name}</strong>
          {take.tags.map((tag) => (
            <span key={tag} className="chip">
              {tag}
            </span>
          ))}{" "}
          <span className="mono soft">{said.filter(Boolean).join(", ")}</span>
          <span className="soft small d-block">
            {take.read && (
              <span title={take.read.because.join("; ")}>{`may serve as ${aRole(take.read.role)}; `}</span>
            )}
            {[used.length ? `used in ${used.join(", ")}` : "not used", originOf(take, all)]
              .filter(Boolean)
              .join("; ")}
          </span>
        </span>
      )}
      {trouble && <span className="clash-text small">{trouble}</span>}
      <span className="ms-auto together">
        {!editing && (
          <>
            {OPENS.map(([what, name]) => (
              <button
                key={what}
                type="button"
                className="btn btn-plain"
                aria-expanded={shown === what}
                onClick={() => onShow(what)}
              >
                {name}
              </button>
            ))}
            {take.changed && take.made_of?.track === state.id && (
              <button
                type="button"
                className="btn btn-plain"
                onClick={() =>
                  void change(`${take.name} is printed again; what was printed before stays.`, () =>
                    api.print(state.id, JSON.parse(take.made_of?.printed ?? "{}"), take.name),
                  )
                }
              >
                Print again
              </button>
            )}
            <button type="button" className="btn btn-plain" onClick={() => again(take)}>
              Use it
            </button>
            <button
              type="button"
              className="btn btn-plain"
              aria-label="Name and tags"
              title="Name and tags"
              onClick={() => setEditing(true)}
            >
              Name
            </button>
            <button
              type="button"
              className="btn btn-plain"
              disabled={used.length > 0}
              title={used.length ? `${used[0]} is made of it` : "Off the shelf; brought back under Your data"}
              onClick={() => void put()}
            >
              Put away
            </button>
          </>
        )}
      </span>
    </li>
  );
}

interface NamedProps {
  take: ListedTake;
  onKeep: (name: string, tags: string[]) => void;
  onLeave: () => void;
}

function Named({ take, onKeep, onLeave }: NamedProps) {
  const [name, setName] = useState(take.name);
  const [tags, setTags] = useState(take.tags.join(", "));
  const words = tags
    .split(",")
    .map((one) => one.trim())
    .filter(Boolean);
  return (
    <form
      className="together align-items-end"
      onSubmit={(event) => {
        event.preventDefault();
        if (name.trim()) onKeep(name.trim(), words);
      }}
      onKeyDown={(event) => {
        // Letters are names here, and no pads.
        event.stopPropagation();
        if (event.key === "Escape") onLeave();
      }}
    >
      <span className="field">
        <label htmlFor={`name-${take.id}`}>Name</label>
        <input
          id={`name-${take.id}`}
          className="form-control form-control-sm"
          value={name}
          // biome-ignore lint/a11y/noAutofocus: it was asked for by a press
          autoFocus
          onChange={({ target }) => setName(target.value)}
        />
      </span>
      <span className="field">
        <label htmlFor={`tags-${take.id}`}>Tags, with commas between</label>
        <input
          id={`tags-${take.id}`}
          className="form-control form-control-sm"
          value={tags}
          onChange={({ target }) => setTags(target.value)}
        />
      </span>
      <button type="submit" className="btn btn-plain" disabled={!name.trim()}>
        Keep
      </button>
      <button type="button" className="btn btn-plain" onClick={onLeave}>
        Leave it
      </button>
    </form>
  );
}
