import createClient from "openapi-fetch";
import type { paths } from "./schema";
import type { Action, Problem, StemName, Track, TrackState, View } from "./types";

/** An error as the server describes it; `status` 0 means that the server did not answer. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    message: string,
    readonly fields: Problem["fields"] = [],
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
  throw new ApiError(answer.response.status, problem?.detail ?? "The server refused this.", problem?.fields ?? []);
}

type Signal = { signal?: AbortSignal };

export const api = {
  tracks: ({ signal }: Signal) => unwrap(client.GET("/api/tracks", { signal })),
  parameters: ({ signal }: Signal) => unwrap(client.GET("/api/parameters", { signal })),
  track: (id: string, { signal }: Signal): Promise<TrackState> =>
    unwrap(client.GET("/api/tracks/{track_id}", { params: { path: { track_id: id } }, signal })),
  view: (id: string, revision: number, { signal }: Signal): Promise<View> =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/view", {
        params: { path: { track_id: id, number: revision } },
        signal,
      }),
    ),
  starts: (id: string, revision: number, { signal }: Signal) =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/starts", {
        params: { path: { track_id: id, number: revision } },
        signal,
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
  act: (id: string, edition: number, action: Action) =>
    unwrap(
      client.POST("/api/tracks/{track_id}/actions", {
        params: { path: { track_id: id } },
        body: { edition, action },
      }),
    ),
  fix: (id: string, edition: number, finding: string, fix: number) =>
    unwrap(
      client.POST("/api/tracks/{track_id}/fixes", {
        params: { path: { track_id: id } },
        body: { edition, finding, fix },
      }),
    ),
  land: (id: string, edition: number, frequency_hz: number) =>
    unwrap(
      client.POST("/api/tracks/{track_id}/landing", {
        params: { path: { track_id: id } },
        body: { edition, frequency_hz },
      }),
    ),
  load: async (file: Blob): Promise<TrackState> => {
    const headers = { "Content-Type": "application/octet-stream" };
    const asked = fetch("/api/tracks/load", { method: "POST", body: file, headers }).then(async (response) => {
      const body = await response.json();
      return response.ok ? { data: body as TrackState, response } : { error: body, response };
    });
    return unwrap(asked);
  },
  stem: async (id: string, revision: number, name: StemName, { signal }: Signal): Promise<ArrayBuffer> => {
    const response = await fetch(`/api/tracks/${id}/revisions/${revision}/stems/${name}.wav`, { signal });
    if (!response.ok) throw new ApiError(response.status, "A stem could not be rendered.");
    return response.arrayBuffer();
  },
  bundleAddress: (id: string, revision: number) => `/api/tracks/${id}/revisions/${revision}/bundle.zip`,
};
