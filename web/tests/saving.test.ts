import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { ApiError } from "../src/api/request";
import type { Finish, Track, TrackState } from "../src/api/types";
import { IDLE, SaveQueue } from "../src/queries/saving";

/** A store that keeps a track's name and tempo, and can be told to refuse. */
function makeStore() {
  const made = {
    state: stateOf({ name: "one", bpm: 120 }, 1),
    refusals: [] as unknown[],
    sent: [] as string[],
    finished: [] as Finish[],
    move(track: Track): TrackState {
      made.state = { ...made.state, track, edition: made.state.edition + 1, revision: made.state.revision + 1 };
      return made.state;
    },
    async answer(track: Track, label: string): Promise<TrackState> {
      made.sent.push(label);
      const refusal = made.refusals.shift();
      if (refusal) throw refusal;
      return made.move(track);
    },
    edit: (_: TrackState, track: Track, label: string) => made.answer(track, label),
    finish: (_: TrackState, last: Finish) => void made.finished.push(last),
    keep: (state: TrackState) => state,
  };
  return made;
}

const stateOf = (track: object, edition: number) =>
  ({ id: "t", edition, revision: edition, track }) as unknown as TrackState;
const set = (values: object) => (track: Track) => ({ ...track, ...values }) as Track;
const edit = (label: string, values: object, gesture = label) => ({
  label,
  gesture,
  changes: [set(values)],
  command: null,
});
const refused = (status: number, state: TrackState | null = null, type = "") =>
  new ApiError(status, `said ${status}`, [], type, state);

describe("what is not stored stays until it is", () => {
  let store = makeStore();
  let queue = new SaveQueue(store.state, store);
  const rest = () => vi.advanceTimersByTimeAsync(2500);
  beforeEach(() => {
    vi.useFakeTimers();
    store = makeStore();
    queue = new SaveQueue(store.state, store);
  });
  afterEach(() => vi.useRealTimers());

  it.each([0, 500, 503, 507])("through a refusal with %i, with Try again, and the draft is shown", async (status) => {
    store.refusals = [refused(status)];
    queue.push(edit("Tempo", { bpm: 130 }));
    await rest();
    expect(queue.saving.trouble).toEqual({ message: `said ${status}`, waiting: 1 });
    expect(queue.shown).toEqual({ name: "one", bpm: 130 });
    expect(queue.queue).toHaveLength(1);
    queue.retry();
    await rest();
    expect(store.state.track).toEqual({ name: "one", bpm: 130 });
    expect(queue.saving).toEqual({ ...IDLE, edition: store.state.edition });
    expect(queue.queue).toHaveLength(0);
  });

  it.each([0, 503])("and is tried again by itself after %i", async (status) => {
    store.refusals = [refused(status), refused(status)];
    queue.push(edit("Tempo", { bpm: 130 }));
    await vi.advanceTimersByTimeAsync(10_000);
    expect(store.sent).toEqual(["Tempo", "Tempo", "Tempo"]);
    expect(store.state.track).toEqual({ name: "one", bpm: 130 });
  });

  it("a change made meanwhile is stored after it", async () => {
    store.refusals = [refused(507)];
    queue.push(edit("Tempo", { bpm: 130 }));
    await rest();
    queue.push(edit("Name", { name: "two" }));
    await rest();
    expect(store.state.track).toEqual({ name: "two", bpm: 130 });
    expect(store.sent).toEqual(["Tempo", "Tempo", "Name"]);
  });

  it("a change that is given up goes alone", async () => {
    store.refusals = [refused(500)];
    queue.push(edit("Tempo", { bpm: 130 }));
    queue.push(edit("Name", { name: "two" }));
    await rest();
    queue.giveUp();
    await rest();
    expect(store.state.track).toEqual({ name: "two", bpm: 120 });
  });

  it("what is refused for what it says goes, with the step back that was meant for it", async () => {
    store.refusals = [refused(422)];
    queue.push(edit("Tempo", { bpm: -1 }));
    queue.push({
      label: "Undo",
      gesture: "u",
      changes: [],
      command: async () => store.move(set({ name: "gone" })(store.state.track)),
      back: true,
    });
    queue.push(edit("Name", { name: "two" }));
    await rest();
    expect(store.state.track).toEqual({ name: "two", bpm: 120 });
    expect(queue.saving.trouble).toEqual({ message: "said 422", waiting: 0 });
  });

  it("a command between two changes is not undone by the second", async () => {
    queue.push({
      label: "Fix",
      gesture: "f",
      changes: [],
      command: async () => store.move(set({ bpm: 99 })(store.state.track)),
    });
    queue.push(edit("Name", { name: "two" }));
    await rest();
    expect(store.state.track).toEqual({ name: "two", bpm: 99 });
    expect(queue.shown).toEqual({ name: "two", bpm: 99 });
  });

  describe("a change on an older edition", () => {
    const theirs = stateOf({ name: "theirs", bpm: 90 }, 5);
    beforeEach(async () => {
      store.refusals = [refused(409, theirs, "juglant:stale")];
      queue.push(edit("Tempo", { bpm: 130 }));
      queue.push(edit("Name", { name: "mine" }));
      await rest();
      expect(queue.saving.conflict?.theirs).toBe(theirs);
      expect(queue.queue).toHaveLength(2);
      store.state = theirs;
    });

    it("waits whole until mine is put on top, as one step", async () => {
      queue.resolve("mine");
      await rest();
      expect(store.state.track).toEqual({ name: "mine", bpm: 130 });
      expect(store.state.edition).toBe(6);
    });

    it("and nothing in it is done twice", async () => {
      const twice = { label: "Faster", gesture: "g", command: null };
      queue.resolve("theirs");
      store.refusals = [refused(409, { ...theirs, edition: 9 }, "juglant:stale")];
      for (const gesture of ["one", "two"])
        queue.push({
          ...twice,
          gesture,
          changes: [(track) => ({ ...track, bpm: Number(Reflect.get(track, "bpm")) + 1 }) as unknown as Track],
        });
      await rest();
      queue.resolve("mine");
      await rest();
      expect(store.state.track).toEqual({ name: "theirs", bpm: 92 });
    });

    it("or theirs is kept", async () => {
      queue.resolve("theirs");
      await rest();
      expect([queue.queue.length, queue.shown, store.state.edition]).toEqual([0, theirs.track, 5]);
    });
  });

  it("what nobody asked for is left where another was first", async () => {
    const theirs = stateOf({ name: "theirs", bpm: 90 }, 5);
    queue.push({
      label: "Refit",
      gesture: "r",
      changes: [],
      quiet: true,
      command: () => Promise.reject(refused(409, theirs)),
    });
    await rest();
    expect(queue.saving.conflict).toBeNull();
    expect(queue.newest).toBe(theirs);
  });

  it("nothing to undo is said, and what comes after it is stored", async () => {
    const none = refused(409, null, "juglant:nothing-there");
    queue.push({ label: "Undo", gesture: "u", changes: [], back: true, command: () => Promise.reject(none) });
    queue.push(edit("Name", { name: "two" }));
    await rest();
    expect(queue.saving.trouble?.waiting).toBe(0);
    expect(store.state.track).toEqual({ name: "two", bpm: 120 });
  });

  it("one movement of the hand is one change, sent no closer than a quarter of a second", async () => {
    for (let bpm = 121; bpm <= 140; bpm++) queue.push(edit("Tempo", { bpm }, "held-g"));
    await vi.advanceTimersByTimeAsync(200);
    expect(store.sent).toHaveLength(1);
    await rest();
    expect(store.sent).toHaveLength(2);
    expect(store.state.track).toEqual({ name: "one", bpm: 140 });
  });

  it("what is on its way and what waits is sent whole when the page goes away", async () => {
    store.edit = () => new Promise(() => undefined);
    queue.push(edit("Tempo", { bpm: 130 }, "a"));
    queue.push(edit("Name", { name: "two" }, "b"));
    await rest();
    queue.finish();
    expect(store.finished).toHaveLength(1);
    const [last] = store.finished;
    expect([last?.edition, last?.revision, last?.label, last?.gestures]).toEqual([1, 1, "Name", ["a", "b"]]);
    expect([...(last?.patch ?? [])].sort((one, other) => one.path.localeCompare(other.path))).toEqual([
      { op: "replace", path: "/bpm", value: 130 },
      { op: "replace", path: "/name", value: "two" },
    ]);
  });

  it.each(["on its way", "waiting"])(
    "a command %s in front of it is named only where it may arrive first",
    async (where) => {
      store.edit = () => new Promise(() => undefined);
      const never = {
        label: "Fit",
        gesture: "fit",
        changes: [],
        command: () => new Promise<TrackState>(() => undefined),
      };
      if (where === "waiting") queue.push(edit("Tempo", { bpm: 130 }, "a"));
      queue.push(never);
      queue.push(edit("Name", { name: "two" }, "b"));
      await rest();
      queue.finish();
      expect(store.finished[0]?.ordered).toBe(where === "waiting" ? null : "fit");
    },
  );

  it("nothing is sent when nothing waits", () => {
    queue.finish();
    expect(store.finished).toEqual([]);
  });
});
