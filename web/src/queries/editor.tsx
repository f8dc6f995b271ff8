import { useQueryClient } from "@tanstack/react-query";
import {
  createContext,
  type ReactNode,
  startTransition,
  useCallback,
  useContext,
  useMemo,
  useRef,
  useState,
} from "react";
import { ApiError, api } from "../api/client";
import type {
  Action,
  Cure,
  Evening,
  Hit,
  School,
  Sheet,
  Swap,
  Track,
  TrackState,
  TuneMove,
  Way,
  When,
} from "../api/types";
import { isHeld } from "./gesture";
import { keys } from "./queries";
import { useSettled } from "./useSettled";

interface Pending {
  label: string;
  gesture: string | null;
  send: (state: TrackState) => Promise<TrackState>;
  track: Track | null;
  /** Nobody asked for it: where another tab was first it is simply left. */
  quiet?: boolean;
}

export interface Conflict {
  mine: Pending;
  theirs: TrackState;
}

export interface Editor {
  /** The newest state the server has stored. */
  state: TrackState;
  /** The same once a movement of the hand rests: what is measured in full follows this. */
  settled: TrackState;
  /** What the page shows: the stored track, or the change on its way to the store. */
  track: Track;
  busy: string | null;
  error: string | null;
  conflict: Conflict | null;
  /** The newest state of the hand, drawn or not; and to be told when it has changed. */
  latest: () => Track;
  watch: (listener: () => void) => () => void;
  edit: (label: string, change: (track: Track) => Track, gesture?: string) => void;
  undo: () => void;
  redo: () => void;
  startOver: () => void;
  act: (action: Action, label: string, hitId?: string) => void;
  morph: (hitId: string, one: Hit, other: Hit, share: number) => void;
  fix: (finding: string, index: number, label: string) => void;
  tune: (moves: TuneMove[], label: string) => void;
  tuneAll: () => void;
  shortenKick: () => void;
  cure: (note: number, cure: Cure) => void;
  own: (owner: Sheet["owner"]) => void;
  alignBass: () => void;
  clearPart: (hitId: string, name: string, when: When) => void;
  swap: (swap: Swap, parts: ("tune" | "carve" | "duck")[]) => void;
  takeWay: (id: string, label: string) => void;
  takeEvenWay: (id: string, label: string) => void;
  kickLoop: (take: string, begin_ms: number, fit_bars: number | null) => void;
  takeDuckWay: (part: string, id: string, label: string) => void;
  /** Fit again what was computed for something else, if the newest step is this page's own and not a step back. */
  refit: () => void;
  leaveRoom: () => void;
  school: (hitId: string, school: School, way: Way, label: string) => void;
  evenLine: (way: Evening) => void;
  retry: () => void;
  dismiss: () => void;
  resolve: (keep: "mine" | "theirs") => void;
}

/** Edits of one movement of the hand are sent no closer than this. */
const APART_MS = 250;
/** While a control shows its own position, the page around it is drawn anew no closer than this. */
const DRAWN_APART_MS = 120;

const EditorContext = createContext<Editor | null>(null);

export function useEditor(): Editor {
  const editor = useContext(EditorContext);
  if (editor === null) throw new Error("useEditor needs an EditorProvider above it");
  return editor;
}

/** One queue to the store: changes go out in order, each on the edition the one before it made. */
export function EditorProvider({ state, children }: { state: TrackState; children: ReactNode }) {
  const cache = useQueryClient();
  const [draft, setDraft] = useState<Track | null>(null);
  const [busy, setBusy] = useState<string | null>(null);
  const [error, setError] = useState<string | null>(null);
  const [conflict, setConflict] = useState<Conflict | null>(null);
  const queue = useRef<Pending[]>([]);
  const running = useRef(false);
  const waiting = useRef(false);
  const sent = useRef<{ gesture: string | null; at: number }>({ gesture: null, at: 0 });
  const newest = useRef(state);
  const stepped = useRef(true);
  // What the hand has made last. A drawing that is behind must not set it back: only edits and answers move it.
  const shown = useRef<Track>(state.track);
  if (state.edition > newest.current.edition) {
    newest.current = state;
    if (queue.current.length === 0) shown.current = state.track;
  }
  const settled = useSettled(state, draft !== null);

  const pump = useCallback(async () => {
    if (running.current) return;
    running.current = true;
    for (let next = queue.current[0]; next; next = queue.current[0]) {
      setBusy(next.label);
      // Within one movement the pictures that follow the hand come first.
      const early =
        next.gesture && next.gesture === sent.current.gesture ? APART_MS - (performance.now() - sent.current.at) : 0;
      if (early > 0) {
        waiting.current = true;
        await new Promise((resolve) => setTimeout(resolve, early));
        waiting.current = false;
        next = queue.current[0] ?? next;
      }
      try {
        sent.current = { gesture: next.gesture, at: performance.now() };
        const stored = await next.send(newest.current);
        newest.current = stored;
        queue.current.shift();
        // What the page shows is what the cache keeps of it: parts that are equal stay the same objects.
        const kept = cache.setQueryData<TrackState>(keys.track(stored.id), stored) ?? stored;
        setError(null);
        if (queue.current.length === 0) {
          shown.current = kept.track;
          setDraft(null);
        }
      } catch (failure) {
        const status = failure instanceof ApiError ? failure.status : 0;
        if (status === 409 && !(failure as ApiError).message.startsWith("there is nothing")) {
          // Each edit carries the whole track: the newest one holds all that was not stored.
          const mine = queue.current.findLast((pending) => pending.track) ?? next;
          queue.current = [];
          const theirs = await api.track(newest.current.id, {}).catch(() => null);
          if (theirs && mine.quiet) {
            newest.current = theirs;
            shown.current = (cache.setQueryData<TrackState>(keys.track(theirs.id), theirs) ?? theirs).track;
          } else if (theirs) setConflict({ mine, theirs });
          break;
        }
        setError(failure instanceof Error ? failure.message : String(failure));
        if (status !== 0) {
          // Refused for what it says: showing it any longer would be untrue.
          queue.current = [];
          const kept = cache.getQueryData<TrackState>(keys.track(newest.current.id)) ?? newest.current;
          shown.current = kept.track;
          setDraft(null);
        }
        break;
      }
    }
    running.current = false;
    setBusy(null);
  }, [cache]);

  const drawing = useRef<{ timer: ReturnType<typeof setTimeout> | undefined; at: number }>({
    timer: undefined,
    at: 0,
  });
  const draw = useCallback((gesture: string | null) => {
    const now = drawing.current;
    const wait = isHeld(gesture) ? DRAWN_APART_MS - (performance.now() - now.at) : 0;
    const show = () => {
      clearTimeout(now.timer);
      now.timer = undefined;
      now.at = performance.now();
      // What was stored meanwhile, or refused, is no draft any more.
      if (queue.current.length > 0) setDraft(shown.current);
    };
    if (wait <= 0) show();
    else now.timer ??= setTimeout(() => startTransition(show), wait);
  }, []);

  const push = useCallback(
    (pending: Pending) => {
      const last = queue.current.at(-1);
      const inFlight = running.current && !waiting.current && queue.current.length === 1;
      if (last && !inFlight && pending.gesture && last.gesture === pending.gesture) {
        queue.current[queue.current.length - 1] = pending;
      } else queue.current.push(pending);
      if (pending.track) draw(pending.gesture);
      void pump();
    },
    [pump, draw],
  );

  const watchers = useRef(new Set<() => void>());
  const latest = useCallback(() => shown.current, []);
  const watch = useCallback((listener: () => void) => {
    watchers.current.add(listener);
    return () => watchers.current.delete(listener);
  }, []);

  const editor = useMemo<Editor>(() => {
    const command = (label: string, send: Pending["send"], back = false, quiet = false) => {
      stepped.current = back;
      push({ label, gesture: null, send, track: null, quiet });
    };
    return {
      state,
      settled,
      track: draft ?? state.track,
      busy,
      error,
      conflict,
      latest,
      watch,
      edit: (label, change, gesture) => {
        const track = change(shown.current);
        shown.current = track;
        stepped.current = false;
        performance.mark("juglant-edit");
        for (const listener of watchers.current) listener();
        push({
          label,
          gesture: gesture ?? null,
          track,
          send: (now) => api.edit(now.id, now.edition, track, label, gesture ?? null),
        });
      },
      undo: () => command("Undo", (now) => api.undo(now.id, now.edition), true),
      redo: () => command("Redo", (now) => api.redo(now.id, now.edition), true),
      startOver: () => command("Start over", (now) => api.startOver(now.id, now.edition)),
      act: (action, label, hitId = "kick") => command(label, (now) => api.act(now.id, now.edition, action, hitId)),
      morph: (hitId, one, other, share) =>
        command(`Morph ${Math.round(100 * share)} %`, (now) =>
          api.morph(now.id, now.edition, hitId, one, other, share),
        ),
      fix: (finding, index, label) => command(label, (now) => api.fix(now.id, now.edition, finding, index)),
      tune: (moves, label) => command(label, (now) => api.tune(now.id, now.edition, moves)),
      shortenKick: () => command("Shorten the kick", (now) => api.shortenKick(now.id, now.edition)),
      own: (owner) => command("Sub owner, planned", (now) => api.own(now.id, now.edition, owner)),
      takeWay: (id, label) => command(label, (now) => api.takeWay(now.id, now.edition, id)),
      kickLoop: (take, begin_ms, fit_bars) =>
        command("Kick from a loop", (now) => api.kickLoop(now.id, now.edition, take, begin_ms, fit_bars)),
      takeEvenWay: (id, label) => command(label, (now) => api.takeEvenWay(now.id, now.edition, id)),
      takeDuckWay: (part, id, label) => command(label, (now) => api.takeDuckWay(now.id, now.edition, part, id)),
      refit: () => {
        if (stepped.current || queue.current.length > 0) return;
        command("Fit the ducks again", (now) => api.act(now.id, now.edition, "refit", "kick"), true, true);
      },
      swap: (swap, parts) => command("Swap", (now) => api.swap(now.id, now.edition, swap, parts)),
      clearPart: (hitId, name, when) =>
        command(`High-pass ${name}`, (now) => api.clearPart(now.id, now.edition, hitId, when)),
      alignBass: () => command("Bass to the kick's phase", (now) => api.alignBass(now.id, now.edition)),
      leaveRoom: () => command("Levels with headroom", (now) => api.leaveRoom(now.id, now.edition)),
      cure: (note, one) => command(one.title, (now) => api.cure(now.id, now.edition, note, one.id)),
      school: (hitId, school, way, label) =>
        command(label, (now) => api.school(now.id, now.edition, hitId, school, way)),
      evenLine: (way) => command("Even the line", (now) => api.evenLine(now.id, now.edition, way)),
      tuneAll: () => command("Tune every hit", (now) => api.tuneAll(now.id, now.edition)),
      retry: () => void pump(),
      dismiss: () => setError(null),
      resolve: (keep) => {
        if (!conflict) return;
        newest.current = conflict.theirs;
        const kept = cache.setQueryData<TrackState>(keys.track(conflict.theirs.id), conflict.theirs);
        shown.current = (kept ?? conflict.theirs).track;
        setConflict(null);
        setDraft(null);
        if (keep === "mine") {
          if (conflict.mine.track) shown.current = conflict.mine.track;
          push(conflict.mine);
        }
      },
    };
  }, [state, settled, latest, watch, draft, busy, error, conflict, push, pump, cache]);

  return <EditorContext value={editor}>{children}</EditorContext>;
}
