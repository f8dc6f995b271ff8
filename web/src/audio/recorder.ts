import { ApiError } from "../api/request";
import { factor } from "./desk";
import { chirp, foundAt, Holding, type Level, type LoopNow, loopStart, MOST_S } from "./holding";
import { type Keeper, Spilling } from "./spilling";
import { bufferOf } from "./strikes";

export type Device = "stand-in" | "microphone";

/** What was recorded and is not on the shelf yet. */
export interface Recording {
  samples: Float32Array;
  rate: number;
  /** How it was recorded, in words. */
  said: string;
}

export interface RecorderView {
  armed: Device | null;
  arming: boolean;
  recording: boolean;
  trouble: string | null;
  /** From what leaves to what comes back, ms; null: not measured. */
  latencyMs: number | null;
  /** What was recorded and is not on the shelf yet, whoever ended it. */
  unkept: Recording | null;
  /** A long recording that has ended and is not all on the disk yet. */
  long: Spilling | null;
}

const FIRST: RecorderView = {
  armed: null,
  arming: false,
  recording: false,
  trouble: null,
  latencyMs: null,
  unkept: null,
  long: null,
};
/** The sound that latency is measured by: quiet, and no louder than the preview. */
const CHIRP_DB = -20;
const LATEST_S = 0.6;
const AHEAD_S = 0.1;
const STAND_IN_RATE = 48000;
/** A recording ends by itself then. */
const LONGEST_S = 3600;

const refusedSo = (error: unknown): string => {
  const name = error instanceof DOMException ? error.name : "";
  if (name === "NotAllowedError" || name === "SecurityError")
    return "The browser was not allowed to use the microphone: allow it in the address bar, or use the stand-in.";
  if (name === "NotFoundError" || name === "OverconstrainedError")
    return "No microphone is connected: connect one and arm again, or use the stand-in.";
  if (name === "NotReadableError") return "The microphone is in use by another program, or was unplugged.";
  return error instanceof Error ? error.message : String(error);
};

/** Room of the stand-in and the way of a strike, from the server. */
export interface StandIn {
  room: () => Promise<ArrayBuffer>;
  latencyMs: number;
}

/** A microphone or its stand-in: off until it is armed, holding only while it is, on its own audio graph without output. */
export class Recorder {
  private context: AudioContext | null = null;
  private stream: MediaStream | null = null;
  private entry: GainNode | null = null;
  private holding: Holding | null = null;
  private beforeS = 0;
  /** A recording of this length is a long one, s. */
  longAfterS = MOST_S;
  private spilling: Spilling | null = null;
  private listeners = new Set<() => void>();
  view = FIRST;

  subscribe = (listener: () => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  snapshot = () => this.view;

  private show(change: Partial<RecorderView>) {
    this.view = { ...this.view, ...change };
    for (const listener of this.listeners) listener();
  }

  /** How much is held, how much of it from before the recording, its level and its outline. */
  now(columns: number): { heldS: number; beforeS: number; level: Level; peaks: number[] } | null {
    const { holding, spilling } = this;
    if (!holding) return null;
    return {
      heldS: spilling ? spilling.totalS : holding.heldS,
      beforeS: spilling ? this.beforeS : holding.beforeS,
      level: holding.level(),
      peaks: holding.peaks(columns),
    };
  }

  async arm(device: Device, standIn: StandIn, keeper: Keeper) {
    this.disarm();
    this.show({ arming: true, trouble: null, latencyMs: null });
    try {
      const context = device === "stand-in" ? new AudioContext({ sampleRate: STAND_IN_RATE }) : new AudioContext();
      this.context = context;
      await context.audioWorklet.addModule("/holder.js");
      const holder = new AudioWorkletNode(context, "juglant-holder", { outputChannelCount: [1] });
      const silent = new GainNode(context, { gain: 0 });
      // Nothing of it is heard: what is not connected would not run.
      holder.connect(silent).connect(context.destination);
      const entry = new GainNode(context);
      this.entry = entry;
      if (device === "stand-in") {
        const late = new DelayNode(context, { maxDelayTime: 1, delayTime: standIn.latencyMs / 1000 });
        entry.connect(late).connect(holder);
        const room = new AudioBufferSourceNode(context, {
          buffer: bufferOf(await standIn.room(), context),
          loop: true,
        });
        room.connect(entry);
        room.start();
      } else {
        const audio = { echoCancellation: false, noiseSuppression: false, autoGainControl: false };
        if (!navigator.mediaDevices?.getUserMedia)
          throw new Error("This browser lets no page at a microphone: use the stand-in.");
        const stream = await navigator.mediaDevices.getUserMedia({ audio });
        if (this.context !== context) {
          // Let go of while the browser asked: nobody listens any more.
          for (const track of stream.getTracks()) track.stop();
          return;
        }
        this.stream = stream;
        new MediaStreamAudioSourceNode(context, { mediaStream: stream }).connect(holder);
        for (const track of stream.getAudioTracks())
          track.addEventListener("ended", () => {
            if (this.stream !== stream) return;
            const kept = this.letGo();
            this.show({ trouble: `The microphone was unplugged.${kept ? " What it had recorded is kept." : ""}` });
          });
      }
      if (this.context !== context) return;
      const holding = new Holding(context.sampleRate);
      this.holding = holding;
      holder.port.onmessage = ({ data }) => {
        if (this.holding !== holding) return;
        this.spilling?.add(data.block.slice());
        holding.add(data.block, data.begins);
        if (!this.view.recording) return;
        if (this.spilling) {
          if (this.spilling.failed || this.spilling.totalS >= LONGEST_S) this.stop(null);
        } else if (holding.heldS >= this.longAfterS) {
          // Longer than a sound may be: from here on it goes to the disk as it comes.
          this.beforeS = holding.beforeS;
          this.spilling = new Spilling(keeper, context.sampleRate);
          this.spilling.add(holding.take().samples);
        }
      };
      await context.resume();
      this.show({ armed: device, arming: false });
    } catch (error) {
      this.disarm();
      this.show({ trouble: error instanceof ApiError ? error.message : refusedSo(error) });
    }
  }

  /** Let go of the microphone; what is being recorded is held until it is on the shelf. Whether something was. */
  letGo(): boolean {
    const kept = this.view.recording ? this.stop(null) : null;
    this.disarm();
    if (kept) this.show({ unkept: kept });
    return kept !== null || this.view.long !== null;
  }

  /** A long recording is on the disk, or is to be sent once more. */
  holdLong(long: Spilling | null) {
    this.show({ long });
  }

  /** What is not on the shelf yet; null: it is, or there is nothing. */
  hold(recording: Recording | null) {
    this.show({ unkept: recording });
  }

  /** Let go of the microphone, and of all that is held. */
  disarm() {
    for (const track of this.stream?.getTracks() ?? []) track.stop();
    this.stream = null;
    this.entry = null;
    this.holding = null;
    this.spilling = null;
    void this.context?.close();
    this.context = null;
    this.show({ armed: null, arming: false, recording: false });
  }

  /** Have the stand-in hear a strike. */
  hear(sound: ArrayBuffer) {
    const { context, entry } = this;
    if (!context || !entry || this.view.armed !== "stand-in") return;
    const source = new AudioBufferSourceNode(context, { buffer: bufferOf(sound, context) });
    source.connect(entry);
    source.start();
  }

  get rate() {
    return this.context?.sampleRate ?? STAND_IN_RATE;
  }

  begin() {
    if (!this.holding) return;
    this.holding.begin();
    this.show({ recording: true });
  }

  /** What was held and recorded, null where it is a long one, which goes on to the disk; over a loop it begins where the loop does, latency taken out. null: nothing was. */
  stop(loop: Omit<LoopNow, "atS"> | null): Recording | null {
    const { holding, context } = this;
    if (!holding || !context) return null;
    if (this.spilling) {
      const long = this.spilling;
      this.spilling = null;
      this.show({ recording: false, long });
      return null;
    }
    const { beforeS, recording } = holding;
    const { samples, begins } = holding.take();
    this.show({ recording: false });
    if (samples.length === 0) return null;
    const latencyS = (this.view.latencyMs ?? 0) / 1000;
    const at = loop && { ...loop, atS: context.currentTime };
    const first = at && loopStart(begins, samples.length, holding.rate, at, latencyS);
    const said = [
      this.view.armed === "stand-in" ? "by the stand-in" : "by the microphone",
      recording
        ? `${Math.max(0, beforeS - (first ?? 0) / holding.rate).toFixed(1)} s of it from before Record was pressed`
        : "as it was held",
      first === null ? null : "begins with the loop",
      first === null || this.view.latencyMs === null
        ? null
        : `${this.view.latencyMs.toFixed(1)} ms of latency taken out`,
    ];
    return { samples: samples.subarray(first ?? 0), rate: holding.rate, said: said.filter(Boolean).join(", ") };
  }

  /** Play a quiet sound and find it again in what is heard; previewDb: the level of the preview. */
  async measureLatency(previewDb: number) {
    const { context, entry, holding } = this;
    if (!context || !holding) return;
    const sound = chirp(context.sampleRate);
    const buffer = context.createBuffer(1, sound.length, context.sampleRate);
    buffer.copyToChannel(sound, 0);
    const level = new GainNode(context, { gain: factor(Math.min(previewDb, CHIRP_DB)) });
    const source = new AudioBufferSourceNode(context, { buffer });
    source.connect(level).connect(this.view.armed === "stand-in" && entry ? entry : context.destination);
    const frame = Math.ceil((context.currentTime + AHEAD_S) * context.sampleRate);
    source.start(frame / context.sampleRate);
    await new Promise((resolve) => setTimeout(resolve, 1000 * (AHEAD_S + LATEST_S) + 300));
    if (this.holding !== holding) return;
    const heard = holding.since(frame).subarray(0, Math.round(LATEST_S * context.sampleRate));
    const found = foundAt(heard, sound);
    if (found === null)
      this.show({
        trouble:
          "The sound was not heard: raise the level of the preview, or bring the microphone to the loudspeaker.",
      });
    else this.show({ latencyMs: (1000 * found) / context.sampleRate, trouble: null });
  }

  clearTrouble() {
    this.show({ trouble: null });
  }
}
