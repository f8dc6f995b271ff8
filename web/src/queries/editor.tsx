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
import type { ProposalKind } from "../api/proposals";
import type {
  Action,
  Carve,
  Cure,
  Evening,
  Hit,
  Layer,
  School,
  Swap,
  Track,
  TrackState,
  TuneMove,
  Way,
  When,
} from "../api/types";
import { newGesture } from "./gesture";
import { keys } from "./queries";
import { type Conflict, type Pending, SaveQueue, type Saving, type Trouble } from "./saving";
import { useLeaving } from "./useLeaving";
import { useSettled } from "./useSettled";

export interface Editor {
  /** The newest state the server has stored. */
  state: TrackState;
  /** The same once a movement of the hand rests: what is measured in full follows this. */
  settled: TrackState;
  /** What the page shows: the stored track, or the change on its way to the store. */
  track: Track;
  busy: string | null;
  trouble: Trouble | null;
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
  makeLong: (hitId: string, name: string, lengthMs: number) => void;
  cure: (note: number, cure: Cure) => void;
  /** One of the ways that were made and measured; part: whose it is. */
  take: (kind: ProposalKind, id: string, label: string, part: string) => void;
  alignBass: () => void;
  clearPart: (hitId: string, name: string, when: When) => void;
  swap: (swap: Swap, parts: ("tune" | "carve" | "duck")[]) => void;
  /** Carve and duck planned for a share of the carve, or in another order. */
  takeShare: (sharePct: number) => void;
  takeOrder: (order: Carve["order"]) => void;
  bassLine: (take: string, begin_ms: number) => void;
  addLayer: (hitId: string, layer: Layer) => void;
  kickLoop: (take: string, begin_ms: number, fit_bars: number | null) => void;
  /** Say of a place that was read in the kick's loop whether it is a kick. */
  loopStroke: (at_s: number, on: boolean) => void;
  /** Fit again what was computed for something else, if the newest step is this page's own and not a step back. */
  refit: () => void;
  leaveRoom: () => void;
  school: (hitId: string, school: School, way: Way, label: string) => void;
  evenLine: (way: Evening) => void;
  retry: () => void;
  giveUp: () => void;
  dismiss: () => void;
  resolve: (keep: "mine" | "theirs") => void;
}

/** While a control shows its own position, the page around it is drawn anew no closer than this. */
const DRAWN_APART_MS = 120;

const EditorContext = createContext<Editor | null>(null);

export function useEditor(): Editor {
  const editor = useContext(EditorContext);
  if (editor === null) throw new Error("useEditor needs an EditorProvider above it");
  return editor;
}

/** A queue for each track that was open: what is not stored waits there while another track is looked at. */
const queues = new Map<string, SaveQueue>();

function queueOf(state: TrackState, cache: QueryClient): SaveQueue {
  const known = queues.get(state.id);
  if (known) return known;
  const made = new SaveQueue(state, {
    edit: (now, track, label, gesture) => api.edit(now.id, now.edition, track, label, gesture),
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
  const [saving, setSaving] = useState<Saving>({ busy: null, trouble: null, conflict: null });
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
  const settled = useSettled(state, draft !== null);

  const watchers = useRef(new Set<() => void>());
  const latest = useCallback(() => queue.shown, [queue]);
  const watch = useCallback((listener: () => void) => {
    watchers.current.add(listener);
    return () => watchers.current.delete(listener);
  }, []);

  const editor = useMemo<Editor>(() => {
    const command = (label: string, send: NonNullable<Pending["command"]>, back = false, quiet = false) => {
      stepped.current = back;
      queue.push({ label, gesture: newGesture(), changes: [], command: send, back: back && !quiet, quiet });
    };
    return {
      state,
      settled,
      track: draft ?? state.track,
      ...saving,
      latest,
      watch,
      edit: (label, change, gesture) => {
        stepped.current = false;
        performance.mark("juglant-edit");
        queue.push({ label, gesture: gesture ?? newGesture(), changes: [change], command: null });
        for (const listener of watchers.current) listener();
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
      makeLong: (hitId, name, lengthMs) =>
        command(`${name}: ${Math.round(lengthMs)} ms long`, (now) =>
          api.makeLong(now.id, now.edition, hitId, lengthMs),
        ),
      take: (kind, id, label, part) => command(label, (now) => api.takeProposal(now.id, now.edition, kind, id, part)),
      takeShare: (sharePct) =>
        command(`Share of the carve ${sharePct} %`, (now) => api.takeShare(now.id, now.edition, sharePct)),
      takeOrder: (order) =>
        command(order === "duck first" ? "Duck first" : "Carve first", (now) =>
          api.takeOrder(now.id, now.edition, order),
        ),
      kickLoop: (take, begin_ms, fit_bars) =>
        command("Kick from a loop", (now) => api.kickLoop(now.id, now.edition, take, begin_ms, fit_bars)),
      loopStroke: (at_s, on) =>
        command(on ? "A kick there" : "No kick there", (now) => api.loopStroke(now.id, now.edition, at_s, on)),
      bassLine: (take, begin_ms) =>
        command("Bass from a loop", (now) => api.bassLine(now.id, now.edition, take, begin_ms)),
      addLayer: (hitId, layer) =>
        command(`Add ${layer.name}`, (now) => api.addLayer(now.id, now.edition, hitId, layer)),
      refit: () => {
        if (stepped.current || queue.queue.length > 0) return;
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
      retry: () => queue.retry(),
      giveUp: () => queue.giveUp(),
      dismiss: () => queue.dismiss(),
      resolve: (keep) => queue.resolve(keep),
    };
  }, [state, settled, latest, watch, draft, saving, queue]);

  return <EditorContext value={editor}>{children}</EditorContext>;
}
