import { client, type Signal, sound, unwrap } from "./request";
import type { ClashLayers, SeparateSheet, Swap, SwapView } from "./types";

/** What the Separate step asks. */
export const separateApi = {
  separate: (id: string, revision: number, { signal }: Signal): Promise<SeparateSheet> =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/separate", {
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
  pair: (id: string, number: number, owner: string, yielder: string, { signal }: Signal) =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/pairs/{owner}/{yielder}", {
        params: { path: { track_id: id, number, owner, yielder } },
        signal,
      }),
    ),
  pairLoop: (id: string, number: number, owner: string, yielder: string, zone: string | null) =>
    sound(
      `/api/tracks/${id}/revisions/${number}/pairs/${owner}/${yielder}/loop.wav${zone ? `?zone=${encodeURIComponent(zone)}` : ""}`,
    ),
  swapCheck: (id: string, revision: number, swap: Swap): Promise<SwapView> =>
    unwrap(
      client.POST("/api/tracks/{track_id}/revisions/{number}/swap-check", {
        params: { path: { track_id: id, number: revision } },
        body: swap,
      }),
    ),
  swapLoop: (id: string, revision: number, swap: Swap, parts: ("tune" | "carve" | "duck")[]) =>
    sound(`/api/tracks/${id}/revisions/${revision}/swap.wav`, {
      method: "POST",
      body: JSON.stringify({ swap, parts }),
      headers: { "Content-Type": "application/json" },
    }),
  band: (id: string, revision: number, row: number, from_beats: number, to_beats: number, before: boolean) => {
    const asked = new URLSearchParams({
      row: String(row),
      from_beats: String(from_beats),
      to_beats: String(to_beats),
      before: String(before),
    });
    return sound(`/api/tracks/${id}/revisions/${revision}/band.wav?${asked}`);
  },
};
