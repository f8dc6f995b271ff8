import { client, type Signal, unwrap } from "./request";
import type { ShareCurve } from "./types";

/** What making room as a whole asks. */
export const roomApi = {
  shares: (id: string, revision: number, { signal }: Signal): Promise<ShareCurve | null> =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/shares", {
        params: { path: { track_id: id, number: revision } },
        signal,
      }),
    ),
};
