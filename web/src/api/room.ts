import { client, type Signal, unwrap } from "./request";
import type { Carve, ShareCurve } from "./types";

/** What making room as a whole asks and does. */
export const roomApi = {
  shares: (id: string, revision: number, { signal }: Signal): Promise<ShareCurve | null> =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/shares", {
        params: { path: { track_id: id, number: revision } },
        signal,
      }),
    ),
  takeShare: (id: string, edition: number, share_pct: number) =>
    unwrap(
      client.POST("/api/tracks/{track_id}/share", {
        params: { path: { track_id: id } },
        body: { edition, share_pct },
      }),
    ),
  takeOrder: (id: string, edition: number, order: Carve["order"]) =>
    unwrap(
      client.POST("/api/tracks/{track_id}/order", { params: { path: { track_id: id } }, body: { edition, order } }),
    ),
};
