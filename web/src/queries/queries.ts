import { queryOptions } from "@tanstack/react-query";
import { api } from "../api/client";

export const keys = {
  tracks: ["tracks"] as const,
  track: (id: string) => ["track", id] as const,
  view: (id: string, revision: number) => ["view", id, revision] as const,
};

export const tracksQuery = () =>
  queryOptions({ queryKey: keys.tracks, queryFn: ({ signal }) => api.tracks({ signal }) });

export const trackQuery = (id: string) =>
  queryOptions({ queryKey: keys.track(id), queryFn: ({ signal }) => api.track(id, { signal }), staleTime: 0 });

/** A revision never changes: what was measured of it stays true. */
export const viewQuery = (id: string, revision: number) =>
  queryOptions({
    queryKey: keys.view(id, revision),
    queryFn: ({ signal }) => api.view(id, revision, { signal }),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
  });

/** Starting points depend on the sheet alone. */
export const startsQuery = (id: string, revision: number, sheet: object) =>
  queryOptions({
    queryKey: ["starts", sheet],
    queryFn: ({ signal }) => api.starts(id, revision, { signal }),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const parametersQuery = () =>
  queryOptions({
    queryKey: ["parameters"],
    queryFn: ({ signal }) => api.parameters({ signal }),
    staleTime: Number.POSITIVE_INFINITY,
  });
