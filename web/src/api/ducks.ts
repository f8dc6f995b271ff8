import { client, type Signal, sound, textOf, unwrap } from "./request";
import type { CompressorRow, DuckSheet, OrderCost, ReturnCost, SpaceCost } from "./types";

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
  returns: (id: string, revision: number, part: string, { signal }: Signal): Promise<ReturnCost[]> =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/ducks/{part}/returns", {
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
  orders: (id: string, revision: number, { signal }: Signal): Promise<OrderCost[]> =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/duck-orders", {
        params: { path: { track_id: id, number: revision } },
        signal,
      }),
    ),
  duckSettings: (id: string, revision: number, { signal }: Signal): Promise<string> =>
    textOf(`/api/tracks/${id}/revisions/${revision}/ducks/settings.txt`, signal),
  duckWayLoop: (id: string, revision: number, part: string, way: string) =>
    sound(`/api/tracks/${id}/revisions/${revision}/ducks/${part}/ways/${way}/loop.wav`),
  takeDuckWay: (id: string, edition: number, part: string, way_id: string) =>
    unwrap(
      client.POST("/api/tracks/{track_id}/duck-way", {
        params: { path: { track_id: id } },
        body: { edition, part, way_id },
      }),
    ),
};
