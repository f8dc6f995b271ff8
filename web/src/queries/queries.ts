import { queryOptions } from "@tanstack/react-query";
import type { Bypass } from "../api/bypass";
import { api, type Shown } from "../api/client";
import type { Role, RollRow, Track } from "../api/types";

export const keys = {
  tracks: ["tracks"] as const,
  track: (id: string) => ["track", id] as const,
  kept: ["kept"] as const,
  data: ["data"] as const,
  rolls: (id: string, hitId: string) => ["rolls", id, hitId] as const,
  view: (id: string, revision: number) => ["view", id, revision] as const,
};

export const tracksQuery = () =>
  queryOptions({ queryKey: keys.tracks, queryFn: ({ signal }) => api.tracks({ signal }) });

export const trackQuery = (id: string) =>
  queryOptions({ queryKey: keys.track(id), queryFn: ({ signal }) => api.track(id, { signal }), staleTime: 0 });

export const dataQuery = () =>
  queryOptions({ queryKey: keys.data, queryFn: ({ signal }) => api.data({ signal }), staleTime: 0 });

/** A revision never changes: what was measured of it stays true. */
export const viewQuery = (id: string, revision: number) =>
  queryOptions({
    queryKey: keys.view(id, revision),
    queryFn: ({ signal }) => api.view(id, revision, { signal }),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
  });

/** A revision without one thing, measured beside itself. */
export const bypassQuery = (id: string, revision: number, { part, layer, stage }: Bypass) =>
  queryOptions({
    queryKey: ["bypass", id, revision, part, layer, stage],
    queryFn: ({ signal }) => api.bypass(id, revision, { part, layer, stage }, { signal }),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    retry: false,
  });

/** What was read in the kick's loop; null without one. */
export const kickLoopQuery = (id: string, revision: number) =>
  queryOptions({
    queryKey: ["kick-loop", id, revision],
    queryFn: ({ signal }) => api.readKickLoop(id, revision, { signal }),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
  });

/** Every hit on the rungs of the key. */
export const ladderQuery = (id: string, revision: number) =>
  queryOptions({
    queryKey: ["ladder", id, revision],
    queryFn: ({ signal }) => api.ladder(id, revision, { signal }),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
  });

/** The bass line and the kick against it. */
export const lineQuery = (id: string, revision: number) =>
  queryOptions({
    queryKey: ["line", id, revision],
    queryFn: ({ signal }) => api.line(id, revision, { signal }),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
  });

/** How kick and bass add up, what they take of the headroom, and to whom the sounds lean. */
export const separateQuery = (id: string, revision: number) =>
  queryOptions({
    queryKey: ["separate", id, revision],
    queryFn: ({ signal }) => api.separate(id, revision, { signal }),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
  });

/** What each owner of the sub would cost: four plans, which take a moment. */
export const ownersQuery = (id: string, revision: number) =>
  queryOptions({
    queryKey: ["owners", id, revision],
    queryFn: ({ signal }) => api.owners(id, revision, { signal }),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
  });

/** What every share of the carve would do, predicted, which takes a moment; null with nothing to share. */
export const sharesQuery = (id: string, revision: number) =>
  queryOptions({
    queryKey: ["shares", id, revision],
    queryFn: ({ signal }) => api.shares(id, revision, { signal }),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
  });

/** How a kick that gives way does so, each way made and measured. */
export const kickWaysQuery = (id: string, revision: number) =>
  queryOptions({
    queryKey: ["kick-ways", id, revision],
    queryFn: ({ signal }) => api.kickWays(id, revision, { signal }),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
  });

/** Ways to the clearance, each made and measured, which takes a moment. */
export const waysQuery = (id: string, revision: number) =>
  queryOptions({
    queryKey: ["ways", id, revision],
    queryFn: ({ signal }) => api.ways(id, revision, { signal }),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
  });

/** The bass line evened each way: made and measured, which takes a moment. */
export const evenWaysQuery = (id: string, revision: number) =>
  queryOptions({
    queryKey: ["even", id, revision],
    queryFn: ({ signal }) => api.evenWays(id, revision, { signal }),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
  });

/** Every ducked part with its curve, lane and guards. */
export const ducksQuery = (id: string, revision: number) =>
  queryOptions({
    queryKey: ["ducks", id, revision],
    queryFn: ({ signal }) => api.ducks(id, revision, { signal }),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
  });

/** Settings of a keyed compressor closest to a part's curve. */
export const compressorsQuery = (id: string, revision: number, part: string) =>
  queryOptions({
    queryKey: ["compressors", id, revision, part],
    queryFn: ({ signal }) => api.compressors(id, revision, part, { signal }),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
  });

/** Ways a ducked part may come back, each made and measured. */
export const returnsQuery = (id: string, revision: number, part: string) =>
  queryOptions({
    queryKey: ["returns", id, revision, part],
    queryFn: ({ signal }) => api.returns(id, revision, part, { signal }),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
  });

/** A part's reverb and delay before and after its duck. */
export const spacesQuery = (id: string, revision: number, part: string) =>
  queryOptions({
    queryKey: ["spaces", id, revision, part],
    queryFn: ({ signal }) => api.spaces(id, revision, part, { signal }),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
  });

/** Carve first or duck first: each order planned and measured, which takes a moment. */
export const ordersQuery = (id: string, revision: number) =>
  queryOptions({
    queryKey: ["orders", id, revision],
    queryFn: ({ signal }) => api.orders(id, revision, { signal }),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
  });

/** Every duck as numbers to type in, for print. */
export const duckSettingsQuery = (id: string, revision: number) =>
  queryOptions({
    queryKey: ["duck settings", id, revision],
    queryFn: ({ signal }) => api.duckSettings(id, revision, { signal }),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
  });

/** Each part's own level on the clash map. */
export const clashLayersQuery = (id: string, revision: number) =>
  queryOptions({
    queryKey: ["clash", id, revision],
    queryFn: ({ signal }) => api.clashLayers(id, revision, { signal }),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
  });

/** What could be done about the kick against one note of the line: each is rendered and measured, which takes a moment. */
export const curesQuery = (id: string, revision: number, note: number) =>
  queryOptions({
    queryKey: ["cures", id, revision, note],
    queryFn: ({ signal }) => api.cures(id, revision, note, { signal }),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
  });

/** Starting points depend on the sheet, those of a rumble on the kick too. */
export const startsQuery = (id: string, revision: number, track: Track, role: Role) =>
  queryOptions({
    queryKey: ["starts", role, track.sheet, role === "rumble" ? track.kick : null],
    queryFn: ({ signal }) => api.starts(id, revision, role, { signal }),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const hitQuery = (id: string, revision: number, hitId: string, shown: Shown | null) =>
  queryOptions({
    queryKey: ["hit", id, revision, hitId, shown],
    queryFn: ({ signal }) => api.hit(id, revision, hitId, shown, { signal }),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
  });

export const rollsQuery = (id: string, hitId: string) =>
  queryOptions({ queryKey: keys.rolls(id, hitId), queryFn: ({ signal }) => api.rolls(id, hitId, { signal }) });

/** A roll's sheet follows from its revision and seed, and never changes. */
export const sheetQuery = (id: string, roll: RollRow) =>
  queryOptions({
    queryKey: ["sheet", id, roll.number],
    queryFn: ({ signal }) => api.sheet(id, roll, { signal }),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const keptQuery = () => queryOptions({ queryKey: keys.kept, queryFn: ({ signal }) => api.kept({ signal }) });

export const takesQuery = () => queryOptions({ queryKey: ["takes"], queryFn: () => api.takes(), staleTime: 0 });

export const parametersQuery = () =>
  queryOptions({
    queryKey: ["parameters"],
    queryFn: ({ signal }) => api.parameters({ signal }),
    staleTime: Number.POSITIVE_INFINITY,
  });
