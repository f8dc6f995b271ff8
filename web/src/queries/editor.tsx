import { type QueryClient, useQueryClient } from "@tanstack/react-query";
import {
  createContext,
  type ReactNode,
  startTransition,
  useCallback,
  useContext,
  useEffect,
  useMemo,
  useRef,
  useState,
} from "react";
import { api } from "../api/client";
import type { Command, Track, TrackState } from "../api/types";
import { newGesture } from "./gesture";
import { keys, viewQuery } from "./queries";
import { type Conflict, IDLE, type Pending, SaveQueue, type Saving, type Trouble } from "./saving";
import { useLeaving } from "./useLeaving";
import { useFitted } from "./useSettled";

/** What is stored and what is on its way there: it changes with what is stored, not with every move of the hand. */
export interface Stored {
  /** The newest state the server has stored. */
  state: TrackState;
  /** The same once a movement of the hand rests and ducks are fitted again: what is measured in full follows this. */
  settled: TrackState;
  /** Ducks are being fitted again. */
  fitting: boolean;
  /** What was asked for is stored, and known here. */
  stored: boolean;
  busy: string | null;
  trouble: Trouble | null;
  conflict: Conflict | null;
}

/** Everything that may be done to a track; it never changes. */
export interface Acts {
  /** The newest state of the hand, drawn or not; and to be told when it has changed. */
  latest: () => Track;
  watch: (listener: () => void) => () => void;
  edit: (label: string, change: (track: Track) => Track, gesture?: string) => void;
  undo: () => void;
  redo: () => void;
  startOver: () => void;
  /** Have the server carry out a command; label: what the page says while it does. */
  send: (command: Command, label: string) => void;
  /** Fit again what was computed for something else, if the newest step is this page's own and not a step back. */
  refit: () => void;
  /** Whether that would be done now. */
  mayRefit: () => boolean;
  retry: () => void;
  giveUp: () => void;
  dismiss: () => void;
  resolve: (keep: "mine" | "theirs") => void;
}

export interface Editor extends Stored, Acts {
  /** What the page shows: the stored track, or the change on its way to the store. */
  track: Track;
}

/** While a control shows its own position, the page around it is drawn anew no closer than this. */
const DRAWN_APART_MS = 120;

const ActsContext = createContext<Acts | null>(null);
const StoredContext = createContext<Stored | null>(null);
const TrackContext = createContext<Track | null>(null);

function there<T>(found: T | null): T {
  if (found === null) throw new Error("the editor's state needs an EditorProvider above it");
  return found;
}

/** What may be done, for what shows nothing of the track. */
export const useActs = (): Acts => there(useContext(ActsContext));

/** What is stored, for what is not drawn anew with every move of the hand. */
export const useStored = (): Stored => there(useContext(StoredContext));

/** What may be done and what is stored, for what shows nothing of a draft. */
export function useSaved(): Acts & Stored {
  const [acts, stored] = [useActs(), useStored()];
  return useMemo(() => ({ ...acts, ...stored }), [acts, stored]);
}

/** All of it, drawn anew with every move of the hand. */
export function useEditor(): Editor {
  const [acts, stored, track] = [useActs(), useStored(), there(useContext(TrackContext))];
  return useMemo(() => ({ ...acts, ...stored, track }), [acts, stored, track]);
}

/** A queue for each track that was open: what is not stored waits there while another track is looked at. */
const queues = new Map<string, SaveQueue>();

function queueOf(state: TrackState, cache: QueryClient): SaveQueue {
  const known = queues.get(state.id);
  if (known) return known;
  const made = new SaveQueue(state, {
    // The hand may go on: what is left behind is fitted once it rests.
    edit: (now, track, label, gesture) =>
      api.command(now.id, now.edition, { kind: "describe", track, label }, gesture, false),
    finish: (now, last) => api.finish(now.id, last),
    // What the page shows is what the cache keeps of it: parts that are equal stay the same objects.
    keep: (stored) => cache.setQueryData<TrackState>(keys.track(stored.id), stored) ?? stored,
  });
  queues.set(state.id, made);
  return made;
}

/** The track as it is stored and as it is shown, and everything that may be done to it. */
export function EditorProvider({ state, children }: { state: TrackState; children: ReactNode }) {
  const cache = useQueryClient();
  const [draft, setDraft] = useState<Track | null>(null);
  const [saving, setSaving] = useState<Saving>(IDLE);
  const stepped = useRef(true);
  const drawing = useRef<{ timer: ReturnType<typeof setTimeout> | undefined; at: number }>({
    timer: undefined,
    at: 0,
  });
  const [queue] = useState(() => queueOf(state, cache));
  useEffect(() => {
    const changed = (held: boolean) => {
      setSaving(queue.saving);
      const now = drawing.current;
      const early = held ? DRAWN_APART_MS - (performance.now() - now.at) : 0;
      const show = () => {
        clearTimeout(now.timer);
        now.timer = undefined;
        now.at = performance.now();
        setDraft(queue.queue.some((one) => one.changes.length > 0) ? queue.shown : null);
      };
      if (early <= 0) show();
      else now.timer ??= setTimeout(() => startTransition(show), early);
    };
    queue.changed = changed;
    changed(false);
    return () => {
      queue.changed = () => undefined;
    };
  }, [queue]);
  queue.meet(state);
  useLeaving(queues);
  const watchers = useRef(new Set<() => void>());
  const latest = useCallback(() => queue.shown, [queue]);
  const watch = useCallback((listener: () => void) => {
    watchers.current.add(listener);
    return () => watchers.current.delete(listener);
  }, []);

  const acts = useMemo<Acts>(() => {
    const step = (label: string, send: NonNullable<Pending["command"]>, back: boolean, quiet = false) => {
      stepped.current = back || quiet;
      queue.push({ label, gesture: newGesture(), changes: [], command: send, back, quiet });
    };
    const command = (label: string, asked: Command) =>
      step(label, (now, gesture) => api.command(now.id, now.edition, asked, gesture), false);
    const fitted = async (now: TrackState, gesture: string) => {
      const stored = await api.command(now.id, now.edition, { kind: "fit-ducks" }, gesture);
      // As it stays: asked for before the page is drawn anew for it.
      void cache.prefetchQuery(viewQuery(stored.id, stored.revision));
      return stored;
    };
    return {
      latest,
      watch,
      edit: (label, change, gesture) => {
        stepped.current = false;
        performance.mark("juglant-edit");
        queue.push({ label, gesture: gesture ?? newGesture(), changes: [change], command: null });
        for (const listener of watchers.current) listener();
      },
      undo: () => step("Undo", (now) => api.undo(now.id, now.edition, now.revision), true),
      redo: () => step("Redo", (now) => api.redo(now.id, now.edition), true),
      startOver: () => step("Start over", (now) => api.startOver(now.id, now.edition), false),
      send: (asked, label) => command(label, asked),
      mayRefit: () => !stepped.current && queue.queue.length === 0,
      refit: () => {
        if (stepped.current || queue.queue.length > 0) return;
        step("Fit the ducks again", fitted, false, true);
      },
      retry: () => queue.retry(),
      giveUp: () => queue.giveUp(),
      dismiss: () => queue.dismiss(),
      resolve: (keep) => queue.resolve(keep),
    };
  }, [latest, watch, queue, cache]);
  const settled = useFitted(state, { ...acts, moving: draft !== null, fitting: saving.fitting });
  const stored = useMemo<Stored>(
    // What is stored is known a moment before it is shown.
    () => ({ state, settled, stored: saving.busy === null && saving.edition <= state.edition, ...saving }),
    [state, settled, saving],
  );

  return (
    <ActsContext value={acts}>
      <StoredContext value={stored}>
        <TrackContext value={draft ?? state.track}>{children}</TrackContext>
      </StoredContext>
    </ActsContext>
  );
}
