import { client, type Signal, sent, sound, unwrap } from "./request";
import type { Stretch } from "./takes";
import type { Recorded, Role } from "./types";

const asked = (values: Record<string, string | number>) =>
  new URLSearchParams(Object.entries(values).map(([name, value]) => [name, String(value)]));

/** Long recordings, which are files until something is cut from them. */
export const recordingsApi = {
  recordings: ({ signal }: Signal) => unwrap(client.GET("/api/recordings", { signal })),
  beginRecording: (name: string, sample_rate: number, said: string) =>
    unwrap(client.POST("/api/recordings", { body: { name, sample_rate, channels: 1, said } })),
  appendRecording: (id: string, at_frame: number, samples: Float32Array<ArrayBuffer>): Promise<Recorded> =>
    sent<Recorded>(`/api/recordings/${id}/append?${asked({ at_frame })}`, new Blob([samples])),
  loadRecording: (file: File): Promise<Recorded> =>
    sent<Recorded>(`/api/recordings/file?${asked({ name: file.name })}`, file),
  recordingSound: (id: string, { begin_s, end_s }: Stretch, sample_rate: number) =>
    sound(
      `/api/recordings/${id}/sound.wav?${asked({ begin_ms: 1000 * begin_s, length_ms: Math.max(1, 1000 * (end_s - begin_s)), sample_rate })}`,
    ),
  recordingImpacts: (recording: string, role: Role, { signal }: Signal) =>
    unwrap(
      client.GET("/api/recordings/{recording}/impacts", { params: { path: { recording }, query: { role } }, signal }),
    ),
  cutRecording: (recording: string, cuts: (Stretch & { name: string })[]) =>
    unwrap(client.POST("/api/recordings/{recording}/cuts", { params: { path: { recording } }, body: { cuts } })),
  putRecordingAway: (recording: string, away: boolean) =>
    unwrap(client.POST("/api/recordings/{recording}/away", { params: { path: { recording } }, body: { away } })),
  removeRecording: (recording: string) =>
    unwrap(client.DELETE("/api/recordings/{recording}", { params: { path: { recording } } })),
};
