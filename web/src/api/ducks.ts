import { client, type Signal, textOf, unwrap } from "./request";
import type { CompressorRow, DuckSheet, SpaceCost } from "./types";

/** What the Duck step asks and does. */
export const ducksApi = {
  ducks: (id: string, revision: number, { signal }: Signal): Promise<DuckSheet> =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/ducks", {
        params: { path: { track_id: id, number: revision } },
        signal,
      }),
    ),
  compressors: (id: string, revision: number, part: string, { signal }: Signal): Promise<CompressorRow[]> =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/ducks/{part}/compressor", {
        params: { path: { track_id: id, number: revision, part } },
        signal,
      }),
    ),
  spaces: (id: string, revision: number, part: string, { signal }: Signal): Promise<SpaceCost[]> =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/ducks/{part}/spaces", {
        params: { path: { track_id: id, number: revision, part } },
        signal,
      }),
    ),
  duckSettings: (id: string, revision: number, { signal }: Signal): Promise<string> =>
    textOf(`/api/tracks/${id}/revisions/${revision}/ducks/settings.txt`, signal),
};
