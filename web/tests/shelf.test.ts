import { describe, expect, it } from "vitest";
import { bytesOf, Shelf } from "../src/audio/shelf";

const sound = (bytes: number) => new ArrayBuffer(bytes);

describe("what the page keeps of sounds", () => {
  it("weighs a sound by its samples", () => {
    expect(bytesOf(sound(10))).toBe(10);
    expect(bytesOf({ numberOfChannels: 2, length: 100 } as AudioBuffer)).toBe(800);
  });

  it("never holds more than its limit, and lets the longest unused go", () => {
    const shelf = new Shelf<ArrayBuffer>(100, bytesOf);
    for (const name of ["a", "b", "c"]) shelf.set(name, sound(40));
    expect(shelf.weight).toBe(80);
    expect([shelf.has("a"), shelf.has("b"), shelf.has("c")]).toEqual([false, true, true]);
    // What is used again stays; what is not goes.
    shelf.get("b");
    shelf.set("d", sound(40));
    expect([shelf.has("b"), shelf.has("c"), shelf.has("d")]).toEqual([true, false, true]);
    expect(shelf.weight).toBe(80);
  });

  it("counts a sound once that is put in its place again", () => {
    const shelf = new Shelf<ArrayBuffer>(100, bytesOf);
    shelf.set("a", sound(60));
    shelf.set("a", sound(30));
    expect(shelf.weight).toBe(30);
    shelf.clear();
    expect(shelf.weight).toBe(0);
  });

  it("keeps the newest even where it is larger than all there is room for", () => {
    const shelf = new Shelf<ArrayBuffer>(100, bytesOf);
    shelf.set("a", sound(40));
    shelf.set("b", sound(400));
    expect([shelf.has("a"), shelf.has("b")]).toEqual([false, true]);
    shelf.set("c", sound(40));
    expect([shelf.has("b"), shelf.has("c")]).toEqual([false, true]);
    expect(shelf.weight).toBe(40);
  });
});
