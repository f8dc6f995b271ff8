import { describe, expect, it } from "vitest";
import schema from "../api/openapi.json";
import { BASS_PARTS, partsOf } from "../src/steps/hits/bassParts";
import { ENGINES } from "../src/steps/hits/layers";
import { PROCESSORS } from "../src/steps/hits/processors";

const models = schema.components.schemas as unknown as Record<
  string,
  { properties: Record<string, { scale?: string; default?: unknown; enum?: string[]; const?: string }> }
>;

describe("what the page lists is what the server has", () => {
  it("has every ruler of the bass in one part", () => {
    const rulers = Object.entries(models.Bass?.properties ?? {}).filter(([, one]) => one.scale);
    for (const source of models.Bass?.properties.source?.enum ?? []) {
      for (const layered of [true, false]) {
        const named = partsOf(source as never, layered).flatMap((part) => part.names);
        expect(new Set(named).size).toBe(named.length);
      }
    }
    const all = new Set(BASS_PARTS.flatMap((part) => part.names as string[]));
    expect([...all].sort()).toEqual(rulers.map(([name]) => name).sort());
  });

  it("has every engine and every processor once", () => {
    const { source, chain } = schema.components.schemas.Layer.properties;
    for (const [list, field, union] of [
      [ENGINES, "engine", source.discriminator.mapping],
      [PROCESSORS, "kind", chain.items.discriminator.mapping],
    ] as const) {
      const models_ = list.map((one) => one.model);
      expect(new Set(models_).size).toBe(models_.length);
      for (const name of models_) expect(models[name]?.properties[field]).toBeDefined();
      const known = Object.values(union).map((address) => address.split("/").at(-1) ?? "");
      expect(models_.sort()).toEqual(known.sort());
    }
  });
});
