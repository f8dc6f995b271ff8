import { describe, expect, it } from "vitest";
import methods from "../../docs/methods.md?raw";
import type { View } from "../src/api/types";
import { meanings } from "../src/controls/meanings";
import { headlines } from "../src/frame/headlines";

/** The part of a view that headlines read. */
function view(change: Record<string, unknown> = {}): View {
  const report = {
    sheet: { beat_ms: 476.19 },
    kick: { cents: -3.4, verdict: "firm", length_ms: 238.1, uncertainty_cents: 0.31 },
    tuning: { landing_note: "Bb1" },
    clearance: { goal_kind: "at_least", goal_db: 10, before_db: -1.93, after_db: 9.98 },
    levels: { true_peak_db: -1.04 },
    duck: { pumping_db: 3.2 },
    ...change,
  };
  return { report } as unknown as View;
}

describe("what a figure means", () => {
  it("stands in the methods for every headline", () => {
    const said = meanings(methods);
    for (const step of ["track", "hits", "tune", "separate", "duck", "deliver"]) {
      for (const one of headlines(step, view())) expect(said[one.means], one.means).toMatch(/^[A-Z].{20,}\.$/);
    }
  });
});

describe("the two figures of a step", () => {
  it.each([
    ["track", "10.0 dB", "kick clearance, goal 10.0 dB", "−1.9"],
    ["hits", "B♭1", "lands −3 cents off, firm", undefined],
    ["tune", "B♭1", "lands −3 cents off, firm", undefined],
    ["separate", "10.0 dB", "kick clearance, goal 10.0 dB", "−1.9"],
    ["nowhere", "10.0 dB", "kick clearance, goal 10.0 dB", "−1.9"],
  ])("begin on %s with %s", (step, value, label, before) => {
    expect(headlines(step, view())[0]).toMatchObject(
      before === undefined ? { value, label } : { value, label, before },
    );
  });

  it.each([
    ["hits", "238 ms", "kick, 0.50 beats long"],
    ["tune", "0 cents", "margin of the landing"],
    ["separate", "–", "kick and bass of a perfect sum"],
    ["duck", "−3.2 dB", "deepest the bass goes"],
    ["deliver", "−1.0 dBTP", "true peak of the loop"],
  ])("go on on %s with %s", (step, value, label) => {
    expect(headlines(step, view())[1]).toMatchObject({ value, label });
  });

  it("never call a landing right whose margin is wider than the limit", () => {
    const wide = view({
      kick: { cents: 0.2, verdict: "uncertain", length_ms: 238.1, uncertainty_cents: 36.2 },
      tuning: { landing_note: "F1", wide_margin_cents: 36.2 },
    });
    expect(headlines("hits", wide)[0]).toMatchObject({ value: "F1", label: "known to ±36 cents only" });
  });

  it("say what the sum was, and is", () => {
    const room = { summing_before_db: -2.7, summing_after_db: -3.2 };
    expect(headlines("separate", view({ room }))[1]).toMatchObject({
      before: "−2.7",
      value: "−3.2 dB",
      label: "kick and bass of a perfect sum",
    });
  });

  it("do not count what is unknown as nothing", () => {
    const clearance = { goal_kind: "at_least", goal_db: 10, before_db: -2, after_db: null };
    expect(headlines("separate", view({ clearance }))[0]).toMatchObject({
      value: "–",
      label: "kick clearance, goal 10.0 dB",
    });
  });

  it("say so where there is nothing to measure", () => {
    const none = view({
      kick: null,
      tuning: null,
      clearance: { goal_kind: "at_most", goal_db: -10, before_db: null, after_db: null },
    });
    expect(headlines("hits", none)).toMatchObject([
      { value: "no pitch", label: "none" },
      { value: "–", label: "kick length" },
    ]);
    expect(headlines("separate", none)).toMatchObject([
      { value: "–", label: "kick clearance, at most −10.0 dB" },
      { value: "–", label: "kick and bass of a perfect sum" },
    ]);
  });
});
