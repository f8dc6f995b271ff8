import { client, type Signal, sound, unwrap } from "./request";
import type { Stem } from "./types";

/** A part, a layer of it, or a stage of that layer's chain (of the bus where there is no layer). */
export interface Bypass {
  part: string;
  layer: string | null;
  stage: number | null;
}

function queryOf({ layer, stage }: Bypass) {
  return { ...(layer === null ? {} : { layer }), ...(stage === null ? {} : { stage }) };
}

export const bypassApi = {
  bypass: (id: string, revision: number, without: Bypass, { signal }: Signal) =>
    unwrap(
      client.GET("/api/tracks/{track_id}/revisions/{number}/bypass/{left_out}", {
        params: { path: { track_id: id, number: revision, left_out: without.part }, query: queryOf(without) },
        signal,
      }),
    ),
  /** A stem of a revision, or of what it is without something. */
  stem: (id: string, revision: number, stem: Stem, without: Bypass | null, { signal }: Signal) => {
    const one = `stems/${stem.part}/${stem.state}.wav`;
    const asked = without
      ? new URLSearchParams(Object.entries(queryOf(without)).map(([k, v]) => [k, String(v)]))
      : "";
    const path = without ? `bypass/${without.part}/${one}?${asked}` : one;
    return sound(`/api/tracks/${id}/revisions/${revision}/${path}`, { signal: signal ?? null });
  },
};
