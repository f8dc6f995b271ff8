import { afterEach, beforeEach, expect, test, vi } from "vitest";
import type { Recorded } from "../src/api/types";
import { type Keeper, Spilling } from "../src/audio/spilling";

const RATE = 1000;

/** A disk that notes what comes, and refuses as often as it is told. */
class Disk implements Keeper {
  begun = 0;
  refuse = 0;
  samples: number[] = [];

  begin = async () => {
    this.begun++;
    return { id: "one" } as Recorded;
  };

  append = async (_: string, at: number, piece: Float32Array) => {
    if (this.refuse > 0) {
      this.refuse--;
      throw new Error("the disk is full");
    }
    this.samples.splice(at, piece.length, ...piece);
    return {} as Recorded;
  };
}

const block = (from: number, count: number) => Float32Array.from({ length: count }, (_, n) => from + n);
const upTo = (count: number) => Array.from({ length: count }, (_, n) => n);

beforeEach(() => {
  vi.useFakeTimers();
});

afterEach(() => {
  vi.useRealTimers();
});

test("what comes goes to the disk in order, once, and little of it is held", async () => {
  const disk = new Disk();
  const spilling = new Spilling(disk, RATE);
  let most = 0;
  for (let at = 0; at < 60 * RATE; at += 128) {
    spilling.add(block(at, Math.min(128, 60 * RATE - at)));
    await vi.advanceTimersByTimeAsync(1);
    most = Math.max(most, spilling.heldS);
  }
  expect(most).toBeLessThan(9);
  expect(await spilling.end()).toBe("one");
  expect(disk.begun).toBe(1);
  expect(disk.samples).toEqual(upTo(60 * RATE));
  expect(spilling.totalS).toBe(60);
  expect(spilling.heldS).toBe(0);
});

test("a disk that refuses twice gets the same piece again, and nothing is lost or doubled", async () => {
  const disk = new Disk();
  disk.refuse = 2;
  const spilling = new Spilling(disk, RATE);
  for (let at = 0; at < 20 * RATE; at += 500) {
    spilling.add(block(at, 500));
    await vi.advanceTimersByTimeAsync(400);
  }
  const ended = spilling.end();
  await vi.advanceTimersByTimeAsync(20_000);
  await ended;
  expect(disk.samples).toEqual(upTo(20 * RATE));
});

test("a disk that goes on refusing ends it: what is not there is held, and sent when there is room", async () => {
  const disk = new Disk();
  const spilling = new Spilling(disk, RATE);
  for (let at = 0; at < 8 * RATE; at += 500) spilling.add(block(at, 500));
  await vi.advanceTimersByTimeAsync(10);
  disk.refuse = 100;
  for (let at = 8 * RATE; at < 20 * RATE; at += 500) {
    spilling.add(block(at, 500));
    await vi.advanceTimersByTimeAsync(500);
  }
  await vi.advanceTimersByTimeAsync(10_000);
  expect(spilling.failed?.message).toBe("the disk is full");
  expect(spilling.heldS).toBeGreaterThan(10);
  const failing = expect(spilling.end()).rejects.toThrow("the disk is full");
  await vi.advanceTimersByTimeAsync(20_000);
  await failing;
  expect(spilling.totalS).toBe(20);
  disk.refuse = 0;
  await spilling.end();
  expect(disk.samples).toEqual(upTo(20 * RATE));
});

test("nothing recorded is said", async () => {
  await expect(new Spilling(new Disk(), RATE).end()).rejects.toThrow("Nothing was recorded");
});
