import { BASS } from "../../api/parts";
import type { Duck, Track } from "../../api/types";
import { curvesOf, partName } from "./duckedParts";

/** What keys a curve, by a name of its own, and what it is called. */
export interface KeyOf {
  id: string;
  name: string;
}

export function keyOf(track: Track, { key }: Duck): KeyOf {
  const names: Record<string, string> = {
    kick: "kick",
    trigger: "trigger",
    grid: "grid",
    notes: partName(track, BASS).toLowerCase(),
  };
  if (key.kind !== "hits") return { id: key.kind, name: names[key.kind] ?? key.kind };
  return {
    id: `hits ${key.hit_ids.join(" ")}`,
    name: key.hit_ids.map((id) => partName(track, id).toLowerCase()).join(" and "),
  };
}

/** How deep a curve goes, dB: its depth, or its deepest point. */
const depthOf = (duck: Duck) =>
  duck.drawn.length ? -Math.min(...duck.drawn.map((one) => one.gain_db)) : duck.depth_db;

/** Parts that a curve of their own acts on, and how deep by which key: the deepest where one key has two. */
export function matrixOf(track: Track): { part: string; depths: Record<string, number> }[] {
  return track.parts.flatMap(({ id: part }) => {
    const depths: Record<string, number> = {};
    for (const curve of curvesOf(track, part)) {
      if (!curve.on || depthOf(curve) <= 0) continue;
      const { id } = keyOf(track, curve);
      depths[id] = Math.max(depths[id] ?? 0, depthOf(curve));
    }
    return Object.keys(depths).length ? [{ part, depths }] : [];
  });
}

/** Every key that a curve has, in the order of the parts they duck. */
export function keysOfAll(track: Track): KeyOf[] {
  const found = new Map<string, KeyOf>();
  for (const { part } of matrixOf(track))
    for (const curve of curvesOf(track, part)) {
      const key = keyOf(track, curve);
      if (curve.on) found.set(key.id, key);
    }
  return [...found.values()];
}
