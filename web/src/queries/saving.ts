import { compare } from "fast-json-patch";
import { ApiError } from "../api/request";
import type { Finish, Track, TrackState } from "../api/types";
import { isHeld } from "./gesture";

/** Changes of the hand are made to the newest track there is, again if another one comes in between. */
type Change = (track: Track) => Track;

/** Something on its way to the store: changes to the description, or a command that the server carries out. */
export interface Pending {
  label: string;
  /** What belongs to one movement of the hand; each has one of its own. */
  gesture: string;
  changes: Change[];
  command: ((state: TrackState, gesture: string) => Promise<TrackState>) | null;
  /** A step back or forward: without what it was meant for it must not be taken. */
  back?: boolean;
  /** Nobody asked for it: where another tab was first it is simply left. */
  quiet?: boolean;
}

export interface Conflict {
  mine: Pending;
  theirs: TrackState;
}

/** What could not be stored, and how much waits for another try. */
export interface Trouble {
  message: string;
  waiting: number;
}

export interface Saving {
  busy: string | null;
  /** What is under way, or waits, was asked for by nobody. */
  fitting: boolean;
  trouble: Trouble | null;
  conflict: Conflict | null;
  /** The edition that was stored last. */
  edition: number;
}

export const IDLE: Saving = { busy: null, fitting: false, trouble: null, conflict: null, edition: 0 };

export interface Store {
  edit: (state: TrackState, track: Track, label: string, gesture: string) => Promise<TrackState>;
  /** Send what is not stored while the page goes away; nobody waits for the answer. */
  finish: (state: TrackState, last: Finish) => void;
  /** Keep a state the server has stored; what is kept of it. */
  keep: (state: TrackState) => TrackState;
}

/** Edits of one movement of the hand are sent no closer than this. */
const APART_MS = 250;
/** Where the server is busy or does not answer, the next try comes after this. */
const AGAIN_MS = 3000;
const wait = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

/** Where the database said no for now: the change is right, and stays until it is stored. */
const mayPass = (failure: unknown) =>
  !(failure instanceof ApiError) || failure.status === 0 || failure.status >= 500 || failure.status === 429;

/**
 * One queue to the store: changes go out in order, each on the edition the one before it made. What is not stored stays in it,
 * until it is, or the user gives it up.
 */
export class SaveQueue {
  queue: Pending[] = [];
  /** What the hand has made last: the stored track with every change that waits. */
  shown: Track;
  saving: Saving = IDLE;
  /** Called when anything changed; `held`: the hand is still moving. */
  changed: (held: boolean) => void = () => undefined;
  private running = false;
  private flying = false;
  private sent: { gesture: string | null; at: number } = { gesture: null, at: 0 };
  private again: ReturnType<typeof setTimeout> | undefined;

  constructor(
    public newest: TrackState,
    private readonly store: Store,
  ) {
    this.shown = newest.track;
  }

  /** A state that came from elsewhere, newer than what is known here. */
  meet(state: TrackState) {
    if (state.edition <= this.newest.edition) return;
    // While changes wait they are made on what they were meant for; the server says where it has moved on.
    if (this.queue.length > 0) return;
    this.newest = state;
    this.shown = state.track;
  }

  push(pending: Pending) {
    for (const change of pending.changes) this.shown = change(this.shown);
    const last = this.queue.at(-1);
    const open = last && !(this.flying && this.queue.length === 1);
    if (open && last.command === null && pending.command === null && last.gesture === pending.gesture) {
      last.changes.push(...pending.changes);
      last.label = pending.label;
    } else this.queue.push(pending);
    this.changed(isHeld(pending.gesture));
    void this.pump();
  }

  retry() {
    void this.pump();
  }

  /** Give up the change that could not be stored; what was made after it goes on. */
  giveUp() {
    this.drop();
    this.show({ trouble: null });
    void this.pump();
  }

  resolve(keep: "mine" | "theirs") {
    const { conflict } = this.saving;
    if (!conflict) return;
    this.newest = this.store.keep(conflict.theirs);
    if (keep === "theirs") this.queue = [];
    else {
      // As it was made: in place of theirs, which stays a step back.
      const mine = this.shown;
      const first = this.queue.find((one) => one.command === null);
      if (first) first.changes = [() => mine];
      // All of them are in it: none is made twice.
      this.queue = this.queue.filter((one) => one === first || one.command !== null);
    }
    this.rebuild();
    this.show({ conflict: null });
    void this.pump();
  }

  dismiss() {
    this.show({ trouble: null });
  }

  /** The page goes away: send what is not stored by a request that outlives it. */
  finish() {
    const edits = this.queue.filter((one) => one.command === null);
    const last = edits.at(-1);
    if (!last) return;
    const patch = compare(this.newest.track, this.shown) as Finish["patch"];
    if (patch.length === 0) return;
    this.store.finish(this.newest, {
      edition: this.newest.edition,
      revision: this.newest.revision,
      patch,
      label: last.label,
      gestures: edits.map((one) => one.gesture),
      // A command on its way may be stored first: what the hand has set goes on top of it.
      ordered: this.flying && this.queue[0]?.command ? this.queue[0].gesture : null,
    });
  }

  private show(change: Partial<Saving>) {
    const { edition } = this.newest;
    this.saving = { ...this.saving, ...change, fitting: this.queue.some((one) => one.quiet), edition };
    this.changed(false);
  }

  /** What is shown, made anew of what is stored and what waits. */
  private rebuild() {
    this.shown = this.queue.flatMap((one) => one.changes).reduce((track, change) => change(track), this.newest.track);
  }

  /** Take the first change out, and steps back that were meant for it. */
  private drop() {
    this.queue.shift();
    while (this.queue[0]?.back) this.queue.shift();
    this.rebuild();
  }

  private async pump() {
    if (this.running || this.saving.conflict) return;
    this.running = true;
    clearTimeout(this.again);
    for (let next = this.queue[0]; next; next = this.queue[0]) {
      this.show({ busy: next.label });
      // Within one movement the pictures that follow the hand come first.
      const early = next.gesture === this.sent.gesture ? APART_MS - (performance.now() - this.sent.at) : 0;
      if (early > 0) await wait(early);
      this.flying = true;
      this.sent = { gesture: next.gesture, at: performance.now() };
      try {
        const stored = await this.send(next);
        this.queue.shift();
        this.newest = this.store.keep(stored);
        this.rebuild();
        // What was refused for good is told until it is closed; what waited is stored now.
        this.show(this.saving.trouble?.waiting ? { trouble: null } : {});
      } catch (failure) {
        if (!this.goesOn(next, failure)) break;
      } finally {
        this.flying = false;
      }
    }
    this.running = false;
    this.show({ busy: null });
  }

  private send(next: Pending): Promise<TrackState> {
    if (next.command) return next.command(this.newest, next.gesture);
    const track = next.changes.reduce((made, change) => change(made), this.newest.track);
    return this.store.edit(this.newest, track, next.label, next.gesture);
  }

  /** Whether the queue goes on after a change was not stored. */
  private goesOn(next: Pending, failure: unknown): boolean {
    const message = failure instanceof Error ? failure.message : String(failure);
    if (failure instanceof ApiError && failure.state) {
      if (!next.quiet) {
        this.show({ conflict: { mine: next, theirs: failure.state }, trouble: null });
        return false;
      }
      this.queue.shift();
      this.newest = this.store.keep(failure.state);
      this.rebuild();
      return true;
    }
    if (mayPass(failure)) {
      this.show({ trouble: { message, waiting: this.queue.length } });
      const soon = failure instanceof ApiError && (failure.status === 0 || failure.status === 503);
      if (soon) this.again = setTimeout(() => void this.pump(), AGAIN_MS);
      return false;
    }
    // Refused for what it says: showing it any longer would be untrue.
    this.drop();
    this.show({ trouble: { message, waiting: 0 } });
    return true;
  }
}
