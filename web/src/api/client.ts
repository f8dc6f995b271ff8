import { bypassApi } from "./bypass";
import { dataApi } from "./data";
import { ducksApi } from "./ducks";
import { proposalsApi } from "./proposals";
import { recordingsApi } from "./recordings";
import { ApiError, client, type Signal, sent, sentLast, sound, unwrap } from "./request";
import { roomApi } from "./room";
import { separateApi } from "./separate";
import { takesApi } from "./takes";
import type {
  Command,
  Cure,
  FileKey,
  Finish,
  Hit,
  HitPicture,
  HitView,
  Kept,
  Ladder,
  Like,
  Line,
  MoveId,
  Role,
  RollRow,
  Sheet,
  Track,
  TrackState,
  TuneMove,
  Variation,
  View,
} from "./types";

export type { TakeChoice } from "./takes";
export { ApiError };

/** The part of a hit's time axis that is drawn. */
export interface Shown {
  from_ms: number;
  span_ms: number;
}

/** What a roll's sheet is made again from. */
const rollAsked = ({ number, seed, amount_pct, only_front, like_side }: RollRow) => ({
  seed,
  amount_pct,
  only_front,
  ...(like_side ? { like: number } : {}),
});

export const api = {
  ...separateApi,
  ...roomApi,
  ...proposalsApi,
  ...ducksApi,
  ...dataApi,
  ...bypassApi,
  tracks: ({ signal }: Signal) => unwrap(client.GET("/api/tracks", { signal })),
  parameters: ({ signal }: Signal) => unwrap(client.GET("/api/parameters", { signal })),
  newTrack: (
    name: string | null = null,
    sheet: { tonic?: string; scale?: string; bpm?: number } = {},
  ): Promise<TrackState> => unwrap(client.POST("/api/tracks", { body: { start: "empty", name, sheet } })),
  duplicateTrack: (id: string): Promise<TrackState> =>
    unwrap(client.POST("/api/tracks/{track_id}/duplicate", { params: { path: { track_id: id } } })),
  renameTrack: (id: string, name: string): Promise<TrackState> =>
    unwrap(client.POST("/api/tracks/{track_id}/name", { params: { path: { track_id: id } }, body: { name } })),
  track: (id: string, { signal }: Signal): Promise<TrackState> =>
    unwrap(client.GET("/api/tracks/{track_id}", { params: { path: { track_id: id } }, signal })),
  view: (id: string, revision: number, { signal }: Signal): Promise<View> =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/view", {
        params: { path: { track_id: id, number: revision } },
        signal,
      }),
    ),
  starts: (id: string, revision: number, role: Role, { signal }: Signal) =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/starts", {
        params: { path: { track_id: id, number: revision }, query: { role } },
        signal,
      }),
    ),
  hit: (id: string, revision: number, hitId: string, shown: Shown | null, { signal }: Signal): Promise<HitView> =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/hits/{hit_id}", {
        params: { path: { track_id: id, number: revision, hit_id: hitId }, query: shown ?? {} },
        signal,
      }),
    ),
  near: (id: string, revision: number, hit_id: string, layer_id: string) =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/hits/{hit_id}/layers/{layer_id}/near", {
        params: { path: { track_id: id, number: revision, hit_id, layer_id } },
      }),
    ),
  made: (id: string, revision: number, hit_id: string, role: Role, off: MoveId[], { signal }: Signal) =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/hits/{hit_id}/made", {
        params: { path: { track_id: id, number: revision, hit_id }, query: { role, off } },
        signal,
      }),
    ),
  reinforced: (
    id: string,
    revision: number,
    hit_id: string,
    by: string,
    share_pct: number,
    aligned: boolean,
    { signal }: Signal,
  ) =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/hits/{hit_id}/reinforced", {
        params: { path: { track_id: id, number: revision, hit_id }, query: { by, share_pct, aligned } },
        signal,
      }),
    ),
  lacking: (id: string, revision: number, hit_id: string, role: Role | null, which: number, { signal }: Signal) =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/hits/{hit_id}/lacking", {
        params: { path: { track_id: id, number: revision, hit_id }, query: { role, which } },
        signal,
      }),
    ),
  strengths: (id: string, revision: number, hit_id: string, { signal }: Signal) =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/hits/{hit_id}/strengths", {
        params: { path: { track_id: id, number: revision, hit_id } },
        signal,
      }),
    ),
  standing: (id: string, revision: number, hit_id: string, { signal }: Signal) =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/hits/{hit_id}/standing", {
        params: { path: { track_id: id, number: revision, hit_id } },
        signal,
      }),
    ),
  chain: (id: string, revision: number, part: string, { signal }: Signal) =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/chains/{part}", {
        params: { path: { track_id: id, number: revision, part } },
        signal,
      }),
    ),
  group: (id: string, revision: number, group: string, { signal }: Signal) =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/groups/{group_id}", {
        params: { path: { track_id: id, number: revision, group_id: group } },
        signal,
      }),
    ),
  sharedSpace: (id: string, revision: number, space: string, { signal }: Signal) =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/shared-spaces/{space_id}", {
        params: { path: { track_id: id, number: revision, space_id: space } },
        signal,
      }),
    ),
  pairMap: (id: string, revision: number, owner: string, yielder: string, { signal }: Signal) =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/pairs/{owner}/{yielder}/map", {
        params: { path: { track_id: id, number: revision, owner, yielder } },
        signal,
      }),
    ),
  lowGroup: (id: string, revision: number, { signal }: Signal) =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/low-group", {
        params: { path: { track_id: id, number: revision } },
        signal,
      }),
    ),
  roots: (id: string, revision: number, part: string, { signal }: Signal) =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/roots/{part}", {
        params: { path: { track_id: id, number: revision, part } },
        signal,
      }),
    ),
  partLine: (id: string, revision: number, part: string, { signal }: Signal) =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/lines/{part}", {
        params: { path: { track_id: id, number: revision, part } },
        signal,
      }),
    ),
  /** One note of a part at its level in the loop. */
  note: (id: string, revision: number, part: string, note: number, velocity: number) =>
    sound(`/api/tracks/${id}/revisions/${revision}/lines/${part}/note.wav?note=${note}&velocity=${velocity}`),
  /** A part with each bar's root held under it. */
  rootsHeard: (id: string, revision: number, part: string, roots: (number | null)[]) =>
    sound(
      `/api/tracks/${id}/revisions/${revision}/roots/${part}/loop.wav?${roots.map((one) => `root=${one ?? -1}`).join("&")}`,
    ),
  preview: (id: string, hitId: string, hit: Hit, shown: Shown | null): Promise<HitPicture> =>
    unwrap(
      client.POST("/api/tracks/{track_id}/hits/{hit_id}/preview", {
        params: { path: { track_id: id, hit_id: hitId }, query: shown ?? {} },
        body: hit,
      }),
    ),
  sound: (id: string, hitId: string, hit: Hit) =>
    sound(`/api/tracks/${id}/hits/${hitId}/sound`, {
      method: "POST",
      body: JSON.stringify(hit),
      headers: { "Content-Type": "application/json" },
    }),
  rolls: (id: string, hitId: string, { signal }: Signal) =>
    unwrap(
      client.GET("/api/tracks/{track_id}/hits/{hit_id}/rolls", {
        params: { path: { track_id: id, hit_id: hitId } },
        signal,
      }),
    ),
  roll: (id: string, hitId: string, amount_pct: number, only_front: boolean, like: Like | null = null) =>
    unwrap(
      client.POST("/api/tracks/{track_id}/hits/{hit_id}/rolls", {
        params: { path: { track_id: id, hit_id: hitId } },
        body: { amount_pct, only_front, like },
      }),
    ),
  sheet: (id: string, roll: RollRow, { signal }: Signal): Promise<Variation[]> =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/hits/{hit_id}/sheet", {
        params: {
          path: { track_id: id, number: roll.revision, hit_id: roll.hit_id },
          query: rollAsked(roll),
        },
        signal,
      }),
    ),
  away: (id: string, roll: RollRow, index: number, { signal }: Signal) =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/hits/{hit_id}/sheet/{index}/away", {
        params: {
          path: { track_id: id, number: roll.revision, hit_id: roll.hit_id, index },
          query: rollAsked(roll),
        },
        signal,
      }),
    ),
  variation: (id: string, roll: RollRow, index: number) => {
    const asked = new URLSearchParams(Object.entries(rollAsked(roll)).map(([name, value]) => [name, String(value)]));
    return sound(`/api/tracks/${id}/revisions/${roll.revision}/hits/${roll.hit_id}/sheet/${index}.wav?${asked}`);
  },
  stroke: (id: string, revision: number, hitId: string, velocity: number, robin: number, layer: string | null) => {
    const asked = new URLSearchParams({ velocity: String(velocity), robin: String(robin) });
    if (layer !== null) asked.set("layer", layer);
    return sound(`/api/tracks/${id}/revisions/${revision}/hits/${hitId}/stroke.wav?${asked}`);
  },
  kept: ({ signal }: Signal): Promise<Kept[]> => unwrap(client.GET("/api/kept", { signal })),
  keep: (id: string, body: { kind: "hit" | "layer"; name: string; role: Role; hit: Hit; replace: boolean }) =>
    unwrap(client.POST("/api/tracks/{track_id}/kept", { params: { path: { track_id: id } }, body })),
  /** Every change of a track goes this way; fit: ducks that it leaves behind are computed again in the same step. */
  command: (id: string, edition: number, command: Command, gesture: string, fit = true) =>
    unwrap(
      client.POST("/api/tracks/{track_id}/commands", {
        params: { path: { track_id: id } },
        body: { edition, command, gesture, fit },
        // What is computed outlives the page; what the hand has set goes by `finish`, however large.
        keepalive: command.kind !== "describe",
      }),
    ),
  /** What is not stored when the page goes away. */
  finish: (id: string, last: Finish) => sentLast(`/api/tracks/${id}/finish`, last),
  undo: (id: string, edition: number, revision: number) =>
    unwrap(
      client.POST("/api/tracks/{track_id}/undo", { params: { path: { track_id: id } }, body: { edition, revision } }),
    ),
  redo: (id: string, edition: number) =>
    unwrap(client.POST("/api/tracks/{track_id}/redo", { params: { path: { track_id: id } }, body: { edition } })),
  startOver: (id: string, edition: number) =>
    unwrap(
      client.POST("/api/tracks/{track_id}/start-over", { params: { path: { track_id: id } }, body: { edition } }),
    ),
  ladder: (id: string, revision: number, { signal }: Signal): Promise<Ladder> =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/ladder", {
        params: { path: { track_id: id, number: revision } },
        signal,
      }),
    ),
  line: (id: string, revision: number, { signal }: Signal): Promise<Line> =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/line", {
        params: { path: { track_id: id, number: revision } },
        signal,
      }),
    ),
  cures: (id: string, revision: number, note: number, { signal }: Signal): Promise<Cure[]> =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/line/{note}/cures", {
        params: { path: { track_id: id, number: revision, note } },
        signal,
      }),
    ),
  moment: (
    id: string,
    revision: number,
    from_beats: number,
    to_beats: number,
    cured?: { note: number; id: string },
  ) => {
    const asked = new URLSearchParams({ from_beats: String(from_beats), to_beats: String(to_beats) });
    if (cured) {
      asked.set("note", String(cured.note));
      asked.set("cure_id", cured.id);
    }
    return sound(`/api/tracks/${id}/revisions/${revision}/moment.wav?${asked}`);
  },
  retuned: (id: string, revision: number, { hit_id, frequency_hz, way }: TuneMove) => {
    const asked = new URLSearchParams({ frequency_hz: String(frequency_hz), way: way ?? "as set" });
    return sound(`/api/tracks/${id}/revisions/${revision}/hits/${hit_id}/retuned.wav?${asked}`);
  },
  inPlace: (id: string, track: Track, kick_loop: { take: string } | null) =>
    sound(`/api/tracks/${id}/in-place.wav`, {
      method: "POST",
      headers: { "Content-Type": "application/json" },
      body: JSON.stringify({ track, kick_loop }),
    }),
  readKickLoop: (id: string, revision: number, { signal }: Signal) =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/kick-loop", {
        params: { path: { track_id: id, number: revision } },
        signal,
      }),
    ),
  keyOf: (file: Blob, a4_hz: number): Promise<FileKey> => sent(`/api/key?a4_hz=${a4_hz}`, file),
  hearKey: (file: Blob, sheet: Pick<Sheet, "sample_rate" | "a4_hz">, key: FileKey["guesses"][number]) => {
    const asked = new URLSearchParams({
      tonic: key.tonic,
      scale: key.scale,
      sample_rate: String(sheet.sample_rate),
      a4_hz: String(sheet.a4_hz),
    });
    return sound(`/api/key/heard?${asked}`, {
      method: "POST",
      body: file,
      headers: { "Content-Type": "application/octet-stream" },
    });
  },
  ...takesApi,
  ...recordingsApi,
  load: (file: Blob): Promise<TrackState> => sent("/api/tracks/load", file),
  jobsAddress: "/api/jobs/events",
  stopJob: (job_id: number) => client.DELETE("/api/jobs/{job_id}", { params: { path: { job_id } } }),
  bundleAddress: (id: string, revision: number, rest: boolean) =>
    `/api/tracks/${id}/revisions/${revision}/bundle.zip${rest ? "?rest=true" : ""}`,
};
