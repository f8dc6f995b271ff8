import { useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import type { ListedTake } from "../api/types";
import { useEditor } from "../queries/editor";
import { takesQuery } from "../queries/queries";
import { LoadButton } from "../takes/LoadButton";
import { useOwnKeys } from "./hits/useOwnKeys";
import { Alternates } from "./takes/Alternates";
import { Carries } from "./takes/Carries";
import { CutPanel } from "./takes/CutPanel";
import { Impacts } from "./takes/Impacts";
import { LongRecordings } from "./takes/LongRecordings";
import { PatternPanel } from "./takes/PatternPanel";
import { RecorderPanel } from "./takes/RecorderPanel";
import { StrokesPanel } from "./takes/StrokesPanel";
import { type Opened, TakeRow } from "./takes/TakeRow";
import { useHeard } from "./takes/useHeard";
import "./takes/takes.css";

/** From so many on a list is searched. */
const MANY = 6;

const speaksOf = (take: ListedTake, words: string) =>
  words
    .toLowerCase()
    .split(/\s+/)
    .every((word) => [take.name, ...take.tags, ...take.tracks].some((one) => one.toLowerCase().includes(word)));

/** Every sound that was ever loaded or recorded: heard, its impacts found, cut, and used again without its file. */
export function TakesStep() {
  const takes = useQuery(takesQuery());
  const [shown, setShown] = useState<{ id: string; what: Opened } | null>(null);
  const [words, setWords] = useState("");
  const [marked, setMarked] = useState<string[] | null>(null);
  const [heard, hear] = useHeard();
  const { track } = useEditor();
  const list = useRef<HTMLUListElement>(null);
  const all = takes.data ?? [];
  const listed = words.trim() ? all.filter((take) => speaksOf(take, words.trim())) : all;
  const one = all.find((take) => take.id === shown?.id);
  const play = (take: ListedTake) => hear(take, null, track.sheet.sample_rate);
  useOwnKeys(list, listed.length, (at) => {
    const take = listed[at];
    if (!take) return;
    list.current?.querySelectorAll<HTMLElement>("button.heard")[at]?.focus();
    play(take);
  });
  return (
    <>
      <div className="bench-head">
        <h2>Takes</h2>
        <span className="soft" role="status">
          {takes.data && `${all.length} ${all.length === 1 ? "sound" : "sounds"}, the newest first`}
          {takes.data && listed.length < all.length && `; ${listed.length} shown`}
        </span>
        <span className="ms-auto together">
          {all.length >= MANY && (
            <input
              type="search"
              className="form-control form-control-sm"
              style={{ width: 200 }}
              aria-label="Find by name, tag or track"
              placeholder="name, tag or track"
              value={words}
              onChange={({ target }) => setWords(target.value)}
            />
          )}
          {all.length > 0 && (
            <button
              type="button"
              className="btn btn-plain"
              aria-pressed={marked !== null}
              onClick={() => setMarked(marked ? null : [])}
            >
              Several as one hit
            </button>
          )}
          <LoadButton />
        </span>
      </div>
      <RecorderPanel />
      {(takes.isError || heard) && <p className="clash-text">{heard ?? takes.error?.message}</p>}
      {takes.data?.length === 0 && (
        <p className="soft">
          Nothing was loaded or recorded yet. Load a recording, drop it on the page, or arm the recorder: its impacts
          are found here, ranked for a role, cut and used.
        </p>
      )}
      <ul className="takes" aria-label="Takes" ref={list}>
        {listed.map((take, at) => (
          <TakeRow
            key={take.id}
            take={take}
            all={all}
            at={at}
            shown={take.id === shown?.id ? shown.what : null}
            marked={marked === null ? null : marked.includes(take.id)}
            onMark={() =>
              setMarked(
                marked?.includes(take.id) ? marked.filter((id) => id !== take.id) : [...(marked ?? []), take.id],
              )
            }
            onHear={() => play(take)}
            onShow={(what) => setShown(take.id === shown?.id && what === shown.what ? null : { id: take.id, what })}
          />
        ))}
      </ul>
      {marked && (
        <Alternates
          takes={marked.flatMap((id) => all.find((each) => each.id === id) ?? [])}
          onUsed={() => setMarked(null)}
        />
      )}
      {one && shown?.what === "strokes" && <StrokesPanel key={one.id} take={one} all={all} />}
      {one && shown?.what === "impacts" && <Impacts key={one.id} take={one} />}
      {one && shown?.what === "cut" && <CutPanel key={one.id} take={one} />}
      {one && shown?.what === "carries" && <Carries key={one.id} take={one} />}
      {one && shown?.what === "pattern" && <PatternPanel key={one.id} take={one} />}
      <LongRecordings />
    </>
  );
}
