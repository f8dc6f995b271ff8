import createClient from "openapi-fetch";
import type { paths } from "./schema";
import type {
  Action,
  ClashLayers,
  Cure,
  Evening,
  FileKey,
  Hit,
  HitPicture,
  HitView,
  Kept,
  Ladder,
  Line,
  LoadedTake,
  OwnerCost,
  Problem,
  Role,
  RollRow,
  School,
  SeparateSheet,
  Sheet,
  Swap,
  SwapView,
  Track,
  TrackState,
  TuneMove,
  Variation,
  View,
  Way,
  WayCost,
} from "./types";

/** An error as the server describes it; `status` 0 means that the server did not answer. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    message: string,
    readonly fields: Problem["fields"] = [],
    readonly type = "",
  ) {
    super(message);
  }
}

const client = createClient<paths>({ baseUrl: "/", headers: { Accept: "application/json" } });

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

async function unwrap<T>(asked: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>;
  try {
    answer = await asked;
  } catch (error) {
    if (error instanceof DOMException && error.name === "AbortError") throw error;
    throw new ApiError(0, "The server does not answer. Is it still running? What you see is kept here.");
  }
  if (answer.data !== undefined) return answer.data;
  const problem = answer.error as Partial<Problem> | undefined;
  throw new ApiError(
    answer.response.status,
    problem?.detail ?? "The server refused this.",
    problem?.fields ?? [],
    problem?.type,
  );
}

type Signal = { signal?: AbortSignal };

/** Which part of a long file, and which of many channels, become a take. */
export interface TakeChoice {
  fromS?: number;
  channels?: "first two" | "mono";
}

/** The part of a hit's time axis that is drawn. */
export interface Shown {
  from_ms: number;
  span_ms: number;
}

async function sound(address: string, asked?: RequestInit): Promise<ArrayBuffer> {
  const response = await fetch(address, asked).catch(() => null);
  if (!response) throw new ApiError(0, "The server does not answer. Is it still running? What you see is kept here.");
  if (!response.ok) throw new ApiError(response.status, "This sound could not be rendered.");
  return response.arrayBuffer();
}

function sent<T>(address: string, file: Blob): Promise<T> {
  const headers = { "Content-Type": "application/octet-stream" };
  const asked = fetch(address, { method: "POST", body: file, headers }).then(async (response) => {
    const body = await response.json();
    return response.ok ? { data: body as T, response } : { error: body, response };
  });
  return unwrap(asked);
}

export const api = {
  tracks: ({ signal }: Signal) => unwrap(client.GET("/api/tracks", { signal })),
  parameters: ({ signal }: Signal) => unwrap(client.GET("/api/parameters", { signal })),
  newTrack: (): Promise<TrackState> => unwrap(client.POST("/api/tracks", { body: { start: "empty" } })),
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
  roll: (id: string, hitId: string, amount_pct: number, only_front: boolean) =>
    unwrap(
      client.POST("/api/tracks/{track_id}/hits/{hit_id}/rolls", {
        params: { path: { track_id: id, hit_id: hitId } },
        body: { amount_pct, only_front },
      }),
    ),
  sheet: (id: string, roll: RollRow, { signal }: Signal): Promise<Variation[]> =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/hits/{hit_id}/sheet", {
        params: {
          path: { track_id: id, number: roll.revision, hit_id: roll.hit_id },
          query: { seed: roll.seed, amount_pct: roll.amount_pct, only_front: roll.only_front },
        },
        signal,
      }),
    ),
  variation: (id: string, roll: RollRow, index: number) => {
    const asked = new URLSearchParams({
      seed: String(roll.seed),
      amount_pct: String(roll.amount_pct),
      only_front: String(roll.only_front),
    });
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
  morph: (id: string, edition: number, hit_id: string, one: Hit, other: Hit, share: number) =>
    unwrap(
      client.POST("/api/tracks/{track_id}/morph", {
        params: { path: { track_id: id } },
        body: { edition, hit_id, one, other, share },
      }),
    ),
  edit: (id: string, edition: number, track: Track, label: string, gesture: string | null) =>
    unwrap(
      client.POST("/api/tracks/{track_id}/edits", {
        params: { path: { track_id: id } },
        body: { edition, track, label, gesture },
      }),
    ),
  undo: (id: string, edition: number) =>
    unwrap(client.POST("/api/tracks/{track_id}/undo", { params: { path: { track_id: id } }, body: { edition } })),
  redo: (id: string, edition: number) =>
    unwrap(client.POST("/api/tracks/{track_id}/redo", { params: { path: { track_id: id } }, body: { edition } })),
  startOver: (id: string, edition: number) =>
    unwrap(
      client.POST("/api/tracks/{track_id}/start-over", { params: { path: { track_id: id } }, body: { edition } }),
    ),
  act: (id: string, edition: number, action: Action, hit_id: string) =>
    unwrap(
      client.POST("/api/tracks/{track_id}/actions", {
        params: { path: { track_id: id } },
        body: { edition, action, hit_id },
      }),
    ),
  fix: (id: string, edition: number, finding: string, fix: number) =>
    unwrap(
      client.POST("/api/tracks/{track_id}/fixes", {
        params: { path: { track_id: id } },
        body: { edition, finding, fix },
      }),
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
  separate: (id: string, revision: number, { signal }: Signal): Promise<SeparateSheet> =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/separate", {
        params: { path: { track_id: id, number: revision } },
        signal,
      }),
    ),
  owners: (id: string, revision: number, { signal }: Signal): Promise<OwnerCost[]> =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/owners", {
        params: { path: { track_id: id, number: revision } },
        signal,
      }),
    ),
  clashLayers: (id: string, revision: number, { signal }: Signal): Promise<ClashLayers> =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/clash", {
        params: { path: { track_id: id, number: revision } },
        signal,
      }),
    ),
  ways: (id: string, revision: number, { signal }: Signal): Promise<WayCost[]> =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/ways", {
        params: { path: { track_id: id, number: revision } },
        signal,
      }),
    ),
  wayLoop: (id: string, revision: number, way: string) =>
    sound(`/api/tracks/${id}/revisions/${revision}/ways/${way}/loop.wav`),
  takeWay: (id: string, edition: number, way_id: string) =>
    unwrap(
      client.POST("/api/tracks/{track_id}/way", { params: { path: { track_id: id } }, body: { edition, way_id } }),
    ),
  swapCheck: (id: string, revision: number, swap: Swap): Promise<SwapView> =>
    unwrap(
      client.POST("/api/tracks/{track_id}/revisions/{number}/swap-check", {
        params: { path: { track_id: id, number: revision } },
        body: swap,
      }),
    ),
  swap: (id: string, edition: number, swap: Swap, parts: ("tune" | "carve" | "duck")[]) =>
    unwrap(
      client.POST("/api/tracks/{track_id}/swap", {
        params: { path: { track_id: id } },
        body: { edition, swap, parts },
      }),
    ),
  clearPart: (id: string, edition: number, hit_id: string) =>
    unwrap(
      client.POST("/api/tracks/{track_id}/clear", { params: { path: { track_id: id } }, body: { edition, hit_id } }),
    ),
  swapLoop: (id: string, revision: number, swap: Swap, parts: ("tune" | "carve" | "duck")[]) =>
    sound(`/api/tracks/${id}/revisions/${revision}/swap.wav`, {
      method: "POST",
      body: JSON.stringify({ swap, parts }),
      headers: { "Content-Type": "application/json" },
    }),
  ownerLoop: (id: string, revision: number, owner: Sheet["owner"]) =>
    sound(`/api/tracks/${id}/revisions/${revision}/owners/${owner}/loop.wav`),
  band: (id: string, revision: number, row: number, from_beats: number, to_beats: number, before: boolean) => {
    const asked = new URLSearchParams({
      row: String(row),
      from_beats: String(from_beats),
      to_beats: String(to_beats),
      before: String(before),
    });
    return sound(`/api/tracks/${id}/revisions/${revision}/band.wav?${asked}`);
  },
  own: (id: string, edition: number, owner: Sheet["owner"]) =>
    unwrap(
      client.POST("/api/tracks/{track_id}/owner", { params: { path: { track_id: id } }, body: { edition, owner } }),
    ),
  alignBass: (id: string, edition: number) =>
    unwrap(client.POST("/api/tracks/{track_id}/phase", { params: { path: { track_id: id } }, body: { edition } })),
  leaveRoom: (id: string, edition: number) =>
    unwrap(client.POST("/api/tracks/{track_id}/levels", { params: { path: { track_id: id } }, body: { edition } })),
  cures: (id: string, revision: number, note: number, { signal }: Signal): Promise<Cure[]> =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/line/{note}/cures", {
        params: { path: { track_id: id, number: revision, note } },
        signal,
      }),
    ),
  cure: (id: string, edition: number, note: number, cure_id: string) =>
    unwrap(
      client.POST("/api/tracks/{track_id}/cure", {
        params: { path: { track_id: id } },
        body: { edition, note, cure_id },
      }),
    ),
  school: (id: string, edition: number, hit_id: string, school: School, way: Way) =>
    unwrap(
      client.POST("/api/tracks/{track_id}/school", {
        params: { path: { track_id: id } },
        body: { edition, hit_id, school, way },
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
  shortenKick: (id: string, edition: number) =>
    unwrap(
      client.POST("/api/tracks/{track_id}/shorten-kick", { params: { path: { track_id: id } }, body: { edition } }),
    ),
  evenLine: (id: string, edition: number, way: Evening) =>
    unwrap(
      client.POST("/api/tracks/{track_id}/even-line", { params: { path: { track_id: id } }, body: { edition, way } }),
    ),
  tune: (id: string, edition: number, moves: TuneMove[]) =>
    unwrap(
      client.POST("/api/tracks/{track_id}/tune", { params: { path: { track_id: id } }, body: { edition, moves } }),
    ),
  tuneAll: (id: string, edition: number) =>
    unwrap(client.POST("/api/tracks/{track_id}/tune-all", { params: { path: { track_id: id } }, body: { edition } })),
  retuned: (id: string, revision: number, { hit_id, frequency_hz, way }: TuneMove) => {
    const asked = new URLSearchParams({ frequency_hz: String(frequency_hz), way: way ?? "as set" });
    return sound(`/api/tracks/${id}/revisions/${revision}/hits/${hit_id}/retuned.wav?${asked}`);
  },
  loadTake: (file: File, { fromS, channels }: TakeChoice): Promise<LoadedTake> => {
    const asked = new URLSearchParams({ name: file.name });
    if (fromS !== undefined) asked.set("from_s", String(fromS));
    if (channels) asked.set("channels", channels);
    return sent<LoadedTake>(`/api/takes?${asked}`, file);
  },
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
  load: (file: Blob): Promise<TrackState> => sent("/api/tracks/load", file),
  stem: async (id: string, revision: number, name: string, { signal }: Signal): Promise<ArrayBuffer> => {
    const response = await fetch(`/api/tracks/${id}/revisions/${revision}/stems/${name}.wav`, { signal });
    if (!response.ok) throw new ApiError(response.status, "A stem could not be rendered.");
    return response.arrayBuffer();
  },
  bundleAddress: (id: string, revision: number) => `/api/tracks/${id}/revisions/${revision}/bundle.zip`,
};
