import { client, type Signal, sent, settledSo, sound, unwrap } from "./request";
import type { LoadedTake, PrintOf, Recut, Rework, Role, Stroked } from "./types";

/** Which part of a long file, and which of many channels, become a take. */
export interface TakeChoice {
  fromS?: number;
  channels?: "first two" | "mono";
}

/** A stretch of a sound, in seconds. */
export interface Stretch {
  begin_s: number;
  end_s: number;
}

/** What is taken out of a sound. */
export interface Cleaning {
  hum: boolean;
  hiss_down_db: number;
  offset: boolean;
  /** What is left once an impact has fallen by so much, dB; null: all of it stays. */
  gate_db: number | null;
}

const asked = (values: Record<string, string | number>) =>
  new URLSearchParams(Object.entries(values).map(([name, value]) => [name, String(value)]));

const asJson = (body: object) => ({
  method: "POST",
  headers: { "Content-Type": "application/json" },
  body: JSON.stringify(body),
});

/** Recorded sounds, and the recorder that makes them. */
export const takesApi = {
  loadTake: (file: File, { fromS, channels }: TakeChoice): Promise<LoadedTake> => {
    const how = { ...(fromS === undefined ? {} : { from_s: fromS }), ...(channels ? { channels } : {}) };
    return sent<LoadedTake>(`/api/takes?${asked({ name: file.name, ...how })}`, file);
  },
  recorded: (name: string, file: Blob, said: string): Promise<LoadedTake> =>
    sent<LoadedTake>(`/api/takes?${asked({ name, recorded: said })}`, file),
  takes: () => unwrap(client.GET("/api/takes")),
  labelTake: (take: string, name: string, tags: string[]) =>
    client.POST("/api/takes/{take}/label", { params: { path: { take } }, body: { name, tags } }).then(settledSo),
  takeSound: (take: string, begin_ms: number, sample_rate: number) =>
    sound(`/api/takes/${take}/sound.wav?${asked({ begin_ms, sample_rate })}`),
  impacts: (take: string, role: Role, { signal }: Signal) =>
    unwrap(client.GET("/api/takes/{take}/impacts", { params: { path: { take }, query: { role } }, signal })),
  pattern: (take: string, hint_bpm: number, bpm: number | null, { signal }: Signal) =>
    unwrap(
      client.GET("/api/takes/{take}/pattern", {
        params: { path: { take }, query: { hint_bpm, ...(bpm === null ? {} : { bpm }) } },
        signal,
      }),
    ),
  carried: (take: string, { signal }: Signal) =>
    unwrap(client.GET("/api/takes/{take}/carried", { params: { path: { take } }, signal })),
  cleanedSound: (take: string, how: Cleaning, heard: "left" | "taken", sample_rate: number) =>
    sound(
      `/api/takes/${take}/cleaned.wav?${asked({ hum: String(how.hum), hiss_down_db: how.hiss_down_db, offset: String(how.offset), ...(how.gate_db === null ? {} : { gate_db: how.gate_db }), heard, sample_rate })}`,
    ),
  clean: (take: string, how: Cleaning, name: string) =>
    unwrap(client.POST("/api/takes/{take}/cleaned", { params: { path: { take } }, body: { ...how, name } })),
  wave: (take: string, from_s: number, to_s: number, { signal }: Signal) =>
    unwrap(client.GET("/api/takes/{take}/wave", { params: { path: { take }, query: { from_s, to_s } }, signal })),
  recutSound: (take: string, how: Recut, sample_rate: number) =>
    sound(`/api/takes/${take}/recut.wav?${asked({ sample_rate })}`, asJson(how)),
  recut: (take: string, how: Recut, name: string) =>
    unwrap(client.POST("/api/takes/{take}/recut", { params: { path: { take } }, body: { ...how, name } })),
  strokes: (take: string, row: Rework["row"], hint_bpm: number, { signal }: Signal) =>
    unwrap(client.GET("/api/takes/{take}/strokes", { params: { path: { take }, query: { row, hint_bpm } }, signal })),
  reworked: (track_id: string, take: string, how: Rework, { signal }: Signal) =>
    unwrap(
      client.POST("/api/tracks/{track_id}/takes/{take}/reworked", {
        params: { path: { track_id, take } },
        body: how,
        signal,
      }),
    ),
  reworkedSound: (track_id: string, take: string, how: Rework, sample_rate: number) =>
    sound(`/api/tracks/${track_id}/takes/${take}/reworked.wav?${asked({ sample_rate })}`, asJson(how)),
  reworkedMidi: (track_id: string, take: string, how: Rework) =>
    sound(`/api/tracks/${track_id}/takes/${take}/reworked.mid`, asJson(how)),
  rework: (track_id: string, take: string, how: Rework, name: string) =>
    unwrap(
      client.POST("/api/tracks/{track_id}/takes/{take}/rework", {
        params: { path: { track_id, take } },
        body: { ...how, name },
      }),
    ),
  print: (track_id: string, what: PrintOf, name: string) =>
    unwrap(client.POST("/api/tracks/{track_id}/prints", { params: { path: { track_id } }, body: { ...what, name } })),
  alternates: (name: string, takes: string[], strokes: Stroked[] | null, { signal }: Signal) =>
    unwrap(client.POST("/api/alternates", { body: { name, takes, strokes }, signal })),
  cut: (take: string, cuts: (Stretch & { name: string })[]) =>
    unwrap(client.POST("/api/takes/{take}/cuts", { params: { path: { take } }, body: { cuts } })),
  impactSound: (take: string, { begin_s, end_s }: Stretch, sample_rate: number) =>
    sound(
      `/api/takes/${take}/sound.wav?${asked({ begin_ms: 1000 * begin_s, length_ms: Math.max(1, 1000 * (end_s - begin_s)), sample_rate })}`,
    ),
  recorder: ({ signal }: Signal) => unwrap(client.GET("/api/recorder", { signal })),
  strike: (thing: number, strength: number, turn: number, sample_rate: number) =>
    sound(`/api/recorder/things/${thing}.wav?${asked({ strength, turn, sample_rate })}`),
  roomTone: (sample_rate: number) => sound(`/api/recorder/room.wav?${asked({ sample_rate })}`),
};
