import createClient from "openapi-fetch";
import type { paths } from "./schema";
import type { Problem, TrackState } from "./types";

/** An error as the server describes it; `status` 0 means that the server did not answer. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    message: string,
    readonly fields: Problem["fields"] = [],
    readonly type = "",
    /** The track as it stands, where a change was made on an older edition. */
    readonly state: TrackState | null = null,
  ) {
    super(message);
  }
}

/** Steps that are small enough to outlive the page. */
const OUTLIVES = /\/(undo|redo|start-over)$/;

export const client = createClient<paths>({
  baseUrl: "/",
  headers: { Accept: "application/json" },
  fetch: (asked: Request) => fetch(OUTLIVES.test(asked.url) ? new Request(asked, { keepalive: true }) : asked),
});

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

export async function unwrap<T>(asked: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>;
  try {
    answer = await asked;
  } catch (error) {
    if (error instanceof DOMException && error.name === "AbortError") throw error;
    throw new ApiError(0, "The server does not answer. Is it still running? What you see is kept here.");
  }
  if (answer.data !== undefined) return answer.data;
  const problem = answer.error as Partial<Problem & TrackState> | undefined;
  throw new ApiError(
    answer.response.status,
    problem?.detail ?? "The server refused this.",
    problem?.fields ?? [],
    problem?.type,
    problem?.track ? (problem as TrackState) : null,
  );
}

export type Signal = { signal?: AbortSignal };

/** What a sound file holds. */
export async function sound(address: string, asked?: RequestInit): Promise<ArrayBuffer> {
  const response = await fetch(address, asked).catch(() => null);
  if (!response) throw new ApiError(0, "The server does not answer. Is it still running? What you see is kept here.");
  if (!response.ok) throw new ApiError(response.status, "This sound could not be rendered.");
  return response.arrayBuffer();
}

/** So much a browser sends for a page that is gone (64 KiB, for all that is on its way). */
const MOST_OUTLIVING_BYTES = 60_000;

/** JSON sent while the page goes away: nobody is there for the answer. What is too large goes as it may. */
export function sentLast(address: string, last: object) {
  const body = new Blob([JSON.stringify(last)], { type: "application/json" });
  const keepalive = body.size < MOST_OUTLIVING_BYTES;
  void fetch(address, { method: "POST", body, keepalive }).catch(() => undefined);
}

/** What a text file says. */
export const textOf = async (address: string, signal?: AbortSignal) =>
  new TextDecoder().decode(await sound(address, { signal: signal ?? null }));

/** A file sent as it is, and the answer. */
export function sent<T>(address: string, file: Blob): Promise<T> {
  const headers = { "Content-Type": "application/octet-stream" };
  const asked = fetch(address, { method: "POST", body: file, headers }).then(async (response) => {
    const body = await response.json();
    return response.ok ? { data: body as T, response } : { error: body, response };
  });
  return unwrap(asked);
}

/** An answer that says nothing but that it was done. */
export const settledSo = (answer: { error?: unknown; response: Response }) =>
  unwrap<true>(Promise.resolve(answer.response.ok ? { data: true, response: answer.response } : answer));
