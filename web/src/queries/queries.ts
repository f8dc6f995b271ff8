import { queryOptions } from "@tanstack/react-query";
import type { Bypass } from "../api/bypass";
import { api, type Shown } from "../api/client";
import { kickOf } from "../api/parts";
import type { ProposalKind } from "../api/proposals";
import type { MoveId, Rework, Role, RollRow, Stroked, Track } from "../api/types";

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
const measured = <T>(queryKey: readonly unknown[], queryFn: (context: { signal: AbortSignal }) => Promise<T>) =>
  queryOptions({ queryKey, queryFn, staleTime: Number.POSITIVE_INFINITY, gcTime: 60_000 });

export const viewQuery = (id: string, revision: number) =>
  measured(keys.view(id, revision), ({ signal }) => api.view(id, revision, { signal }));

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
  measured(["kick-loop", id, revision], ({ signal }) => api.readKickLoop(id, revision, { signal }));

/** How loud and bright strokes of a hit are, softest first. */
export const strengthsQuery = (id: string, revision: number, hitId: string) =>
  measured(["strengths", id, revision, hitId], ({ signal }) => api.strengths(id, revision, hitId, { signal }));

/** How far away a part stands, and how loud it is beside the kick. */
export const standingQuery = (id: string, revision: number, part: string) =>
  measured(["standing", id, revision, part], ({ signal }) => api.standing(id, revision, part, { signal }));

/** Every hit on the rungs of the key. */
export const ladderQuery = (id: string, revision: number) =>
  measured(["ladder", id, revision], ({ signal }) => api.ladder(id, revision, { signal }));

/** The bass line and the kick against it. */
export const lineQuery = (id: string, revision: number) =>
  measured(["line", id, revision], ({ signal }) => api.line(id, revision, { signal }));

/** How kick and bass add up, what they take of the headroom, and to whom the sounds lean. */
export const separateQuery = (id: string, revision: number) =>
  measured(["separate", id, revision], ({ signal }) => api.separate(id, revision, { signal }));

/** What every share of the carve would do, predicted, which takes a moment; null with nothing to share. */
export const sharesQuery = (id: string, revision: number) =>
  measured(["shares", id, revision], ({ signal }) => api.shares(id, revision, { signal }));

/** Every ducked part with its curve, lane and guards. */
export const ducksQuery = (id: string, revision: number) =>
  measured(["ducks", id, revision], ({ signal }) => api.ducks(id, revision, { signal }));

/** Settings of a keyed compressor closest to a part's curve. */
export const compressorsQuery = (id: string, revision: number, part: string) =>
  measured(["compressors", id, revision, part], ({ signal }) => api.compressors(id, revision, part, { signal }));

/** A part's reverb and delay before and after its duck. */
export const spacesQuery = (id: string, revision: number, part: string) =>
  measured(["spaces", id, revision, part], ({ signal }) => api.spaces(id, revision, part, { signal }));

/** Every duck as numbers to type in, for print. */
export const duckSettingsQuery = (id: string, revision: number) =>
  measured(["duck settings", id, revision], ({ signal }) => api.duckSettings(id, revision, { signal }));

/** Each part's own level on the clash map. */
export const clashLayersQuery = (id: string, revision: number) =>
  measured(["clash", id, revision], ({ signal }) => api.clashLayers(id, revision, { signal }));

/** What could be done about the kick against one note of the line: each is rendered and measured, which takes a moment. */
export const curesQuery = (id: string, revision: number, note: number) =>
  measured(["cures", id, revision, note], ({ signal }) => api.cures(id, revision, note, { signal }));

/** Starting points depend on the sheet, those of a rumble on the kick too. */
export const startsQuery = (id: string, revision: number, track: Track, role: Role) =>
  queryOptions({
    queryKey: ["starts", role, track.sheet, role === "rumble" ? kickOf(track).hit : null],
    queryFn: ({ signal }) => api.starts(id, revision, role, { signal }),
    staleTime: Number.POSITIVE_INFINITY,
  });

/** The sound that comes nearest to a recorded layer: it is searched for to the end, whatever is looked at meanwhile. */
export const nearQuery = (id: string, revision: number, hitId: string, layer: string) =>
  queryOptions({
    queryKey: ["near", id, revision, hitId, layer],
    queryFn: () => api.near(id, revision, hitId, layer),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: Number.POSITIVE_INFINITY,
  });

export const madeQuery = (id: string, revision: number, hitId: string, role: Role, off: MoveId[]) =>
  measured(["made", id, revision, hitId, role, off], ({ signal }) =>
    api.made(id, revision, hitId, role, off, { signal }),
  );

export const hitQuery = (id: string, revision: number, hitId: string, shown: Shown | null) =>
  measured(["hit", id, revision, hitId, shown], ({ signal }) => api.hit(id, revision, hitId, shown, { signal }));

/** What each processor of a part's whole changed. */
export const chainQuery = (id: string, revision: number, part: string) =>
  measured(["chain", id, revision, part], ({ signal }) => api.chain(id, revision, part, { signal }));

/** Any two parts by band and time. */
export const pairMapQuery = (id: string, revision: number, owner: string, yielder: string) =>
  measured(["pair map", id, revision, owner, yielder], ({ signal }) =>
    api.pairMap(id, revision, owner, yielder, { signal }),
  );

/** What the bus of a group does to its sum and its parts. */
export const groupQuery = (id: string, revision: number, group: string) =>
  measured(["group", id, revision, group], ({ signal }) => api.group(id, revision, group, { signal }));

/** What a shared space costs. */
export const sharedSpaceQuery = (id: string, revision: number, space: string) =>
  measured(["shared space", id, revision, space], ({ signal }) => api.sharedSpace(id, revision, space, { signal }));

/** The low group: every zone and every two of it. */
export const lowGroupQuery = (id: string, revision: number) =>
  measured(["low group", id, revision], ({ signal }) => api.lowGroup(id, revision, { signal }));

/** The likeliest roots of every bar of a part. */
export const rootsQuery = (id: string, revision: number, part: string) =>
  measured(["roots", id, revision, part], ({ signal }) => api.roots(id, revision, part, { signal }));

/** What a part's line stands on, and how far each of its notes is from where it should be. */
export const partLineQuery = (id: string, revision: number, part: string) =>
  measured(["part line", id, revision, part], ({ signal }) => api.partLine(id, revision, part, { signal }));

export const rollsQuery = (id: string, hitId: string) =>
  queryOptions({ queryKey: keys.rolls(id, hitId), queryFn: ({ signal }) => api.rolls(id, hitId, { signal }) });

/** A roll's sheet follows from its revision and seed, and never changes. */
export const sheetQuery = (id: string, roll: RollRow) =>
  queryOptions({
    queryKey: ["sheet", id, roll.number],
    queryFn: ({ signal }) => api.sheet(id, roll, { signal }),
    staleTime: Number.POSITIVE_INFINITY,
  });

/** How far each variation of a sheet is from one that is liked. */
export const awayQuery = (id: string, roll: RollRow, liked: number) =>
  queryOptions({
    queryKey: ["away", id, roll.number, liked],
    queryFn: ({ signal }) => api.away(id, roll, liked, { signal }),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const keptQuery = () => queryOptions({ queryKey: keys.kept, queryFn: ({ signal }) => api.kept({ signal }) });

/** Impacts of a sound, the best for a role first; a sound never changes. */
export const impactsQuery = (take: string, role: Role) =>
  measured(["impacts", take, role], ({ signal }) => api.impacts(take, role, { signal }));

export const patternQuery = (take: string, hint: number, bpm: number | null) =>
  measured(["pattern", take, hint, bpm], ({ signal }) => api.pattern(take, hint, bpm, { signal }));

/** Strokes of a drum part; hint: the track's tempo, which counts where it fits as well as another. */
export const strokesQuery = (take: string, row: Rework["row"], hint: number) =>
  measured(["strokes", take, row, hint], ({ signal }) => api.strokes(take, row, hint, { signal }));

/** A drum part worked over with hits of a track as they are. */
export const reworkedQuery = (id: string, revision: number, take: string, how: Rework) =>
  measured(["reworked", id, revision, take, how], ({ signal }) => api.reworked(id, take, how, { signal }));

export const alternatesQuery = (name: string, takes: string[], strokes: Stroked[] | null) =>
  measured(["alternates", name, takes, strokes], ({ signal }) => api.alternates(name, takes, strokes, { signal }));

export const reinforcedQuery = (
  id: string,
  revision: number,
  hitId: string,
  by: string,
  share: number,
  fit: boolean,
) =>
  measured(["reinforced", id, revision, hitId, by, share, fit], ({ signal }) =>
    api.reinforced(id, revision, hitId, by, share, fit, { signal }),
  );

/** What a hit lacks, with the sounds of the shelf as it is: asked again when it is opened. */
export const lackingQuery = (id: string, revision: number, hitId: string, role: Role | null, which: number) =>
  queryOptions({
    queryKey: ["lacking", id, revision, hitId, role, which],
    queryFn: ({ signal }) => api.lacking(id, revision, hitId, role, which, { signal }),
    staleTime: 0,
  });

export const waveQuery = (take: string, fromS: number, toS: number) =>
  measured(["wave", take, fromS, toS], ({ signal }) => api.wave(take, fromS, toS, { signal }));

export const carriedQuery = (take: string) =>
  measured(["carried", take], ({ signal }) => api.carried(take, { signal }));

export const takesQuery = () => queryOptions({ queryKey: ["takes"], queryFn: () => api.takes(), staleTime: 0 });

export const recordingsQuery = () =>
  queryOptions({ queryKey: ["recordings"], queryFn: ({ signal }) => api.recordings({ signal }), staleTime: 0 });

/** Impacts of a long recording: work that takes its time, done once for as long as the recording is. */
export const recordingImpactsQuery = (recording: string, role: Role) =>
  measured(["recording impacts", recording, role], ({ signal }) => api.recordingImpacts(recording, role, { signal }));

export const recorderQuery = () =>
  queryOptions({ queryKey: ["recorder"], queryFn: ({ signal }) => api.recorder({ signal }), staleTime: 0 });

export const parametersQuery = () =>
  queryOptions({
    queryKey: ["parameters"],
    queryFn: ({ signal }) => api.parameters({ signal }),
    staleTime: Number.POSITIVE_INFINITY,
  });

/** Two parts zone by zone, with the least cut on the second. */
export const pairQuery = (id: string, revision: number, owner: string, yielder: string) =>
  measured(["proposals", "pair", id, revision, owner, yielder], ({ signal }) =>
    api.pair(id, revision, owner, yielder, { signal }),
  );

/** Ways that were made and measured, which takes a moment; part: whose returns. */
export const proposalsQuery = <K extends ProposalKind>(id: string, revision: number, kind: K, part: string) =>
  measured(["proposals", kind, id, revision, part], ({ signal }) =>
    api.proposals(id, revision, kind, part, { signal }),
  );
