import { BASS } from "../../api/parts";
import type { Processor, Track } from "../../api/types";

import { hitsOf } from "./pads";

export type Group = Track["groups"][number];

/** Processors that a bus has: what holds a sum together. */
export const NOT_ON_A_BUS: Processor["kind"][] = [
  "drive",
  "transient",
  "drawn",
  "reverb",
  "delay",
  "gate",
  "reverse",
  "width",
];

const DRUMS = ["snare", "clap", "hat", "open hat", "tom", "percussion"];

/** Parts that may share a bus: all that are this track's own, in order. */
export const ownParts = (track: Track) => track.parts.filter((one) => one.role !== "context").map((one) => one.id);

/** Parts that go through no bus of their own yet. */
const free = (track: Track, parts: string[]) =>
  parts.filter((part) => !track.groups.some((group) => group.members.includes(part)));

interface Start {
  /** What its files are called by. */
  id: string;
  name: string;
  whole: boolean;
  members: (track: Track) => string[];
}

export const STARTS: Start[] = [
  { id: "low-end", name: "Kick and bass", whole: false, members: (track) => free(track, ["kick", BASS]) },
  {
    id: "drums",
    name: "Drums",
    whole: false,
    members: (track) =>
      free(
        track,
        hitsOf(track)
          .filter((one) => DRUMS.includes(one.role))
          .map((one) => one.id),
      ),
  },
  { id: "all", name: "Everything", whole: true, members: () => [] },
  { id: "parts", name: "Parts of your choice", whole: false, members: () => [] },
];

/** An id and a name that no part, bus or space has. */
export function freshId(track: Track, id: string, name: string): { id: string; name: string } {
  const all = [...track.groups, ...track.spaces, ...hitsOf(track)];
  const taken = new Set(all.map((one) => one.id));
  let number = 1;
  while (taken.has(number === 1 ? id : `${id}-${number}`)) number++;
  return number === 1 ? { id, name } : { id: `${id}-${number}`, name: `${name} ${number}` };
}

/** A bus more: empty, so that nothing changes until something is put on it. */
export function withBus(track: Track, start: Start): Track {
  const made: Group = {
    ...freshId(track, start.id, start.name),
    whole: start.whole,
    members: start.members(track),
    on: true,
    bus: [],
  };
  return { ...track, groups: [...track.groups, made] };
}

/** The track with one bus changed. */
export const withGroup = (track: Track, id: string, change: (group: Group) => Group): Track => ({
  ...track,
  groups: track.groups.map((one) => (one.id === id ? change(one) : one)),
});

/** The track with a part on a bus, and on no other, or off it. */
export const withMember = (track: Track, id: string, part: string, on: boolean): Track => ({
  ...track,
  groups: track.groups.map((one) => {
    const without = one.members.filter((each) => each !== part);
    return { ...one, members: on && one.id === id ? [...without, part] : without };
  }),
});
