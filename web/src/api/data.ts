import { client, type Signal, unwrap } from "./request";

/** The data as a whole: archive, restore, remove, back up, export. */
export const dataApi = {
  data: ({ signal }: Signal) => unwrap(client.GET("/api/data", { signal })),
  archiveTrack: (id: string, archived: boolean) =>
    unwrap(
      client.POST("/api/tracks/{track_id}/archived", { params: { path: { track_id: id } }, body: { archived } }),
    ),
  removeTrack: (id: string) =>
    unwrap(client.DELETE("/api/tracks/{track_id}", { params: { path: { track_id: id } } })),
  archiveTake: (take: string, archived: boolean) =>
    unwrap(client.POST("/api/takes/{take}/archived", { params: { path: { take } }, body: { archived } })),
  removeTake: (take: string) => unwrap(client.DELETE("/api/takes/{take}", { params: { path: { take } } })),
  backUp: () => unwrap(client.POST("/api/backups")),
  removeBackup: (name: string) => unwrap(client.DELETE("/api/backups/{name}", { params: { path: { name } } })),
  exportAddress: "/api/export.zip",
};
