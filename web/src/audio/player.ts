import type { TrackState } from "../api/types";
import { type Band, edgesOf } from "./band";
import { StemBuffers } from "./buffers";
import { countIn } from "./clicks";
import { type Comparison, type LeftOut, type Played, played } from "./comparison";
import { Desk, factor, SIDE_FADE_S } from "./desk";
import { type Graph, makeGraph, type Probe, peakDb, probeInto } from "./graph";
import { HeardClock } from "./heardClock";
import { recorded } from "./recorded";
import { type Generation, retire, type Side, SWAP_FADE_S, voiceOf } from "./stems";
import { Strikes } from "./strikes";
import { beatAt, type LoopTime, originFor, swapAt } from "./timing";
import { FIRST_VIEW, type PlayerView, type Solo } from "./view";

/** While the track changes faster than this, the newest of its renders are fetched this far apart. */
const SWAPS_APART_MS = 480;
/** New audio is scheduled at least this far ahead. */
const AHEAD_S = 0.03;
const FADE_IN_S = 0.6;
const SUBSONIC_HZ = 20;
const SETTLE_S = 0.05;
const STRIKE_RISE_S = 0.001;

/** One audio graph at the project rate: looped stems, before and after at matched loudness, filters, limiter, meter. */
export class Player {
  private context: AudioContext | null = null;
  private limiter: AudioWorkletNode | null = null;
  private analyser: AnalyserNode | null = null;
  private level: GainNode | null = null;
  private lowPasses: BiquadFilterNode[] = [];
  private highPasses: BiquadFilterNode[] = [];
  private desk = new Desk();
  private loopGate: GainNode | null = null;
  private probed: Graph["probed"] | null = null;
  private buffers = new StemBuffers();
  private struck = new Strikes();
  private entry: AudioNode | null = null;
  private generation: Generation | null = null;
  private loop: LoopTime | null = null;
  private wanted: TrackState | null = null;
  private compared: Comparison | null = null;
  private fetching: AbortController | null = null;
  private listeners = new Set<() => void>();
  private swappedAt = Number.NEGATIVE_INFINITY;
  private soon: ReturnType<typeof setTimeout> | undefined;
  private rate = 0;
  /** The sound that was last asked to be heard alone. */
  private aloneNow = 0;
  /** By how much the limiter is late, as it says itself, s. */
  private limiterS = 0;
  private built: Promise<void> | null = null;
  /** Beats that are counted in before the loop begins. */
  private counted = 0;
  private silenceClicks: () => void = () => undefined;
  /** The beat where the loop goes on from with its next voices; null: where it is. */
  private jump: number | null = null;
  private heard = new HeardClock();
  view = FIRST_VIEW;

  subscribe = (listener: () => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  snapshot = () => this.view;

  private show(change: Partial<PlayerView>) {
    this.view = { ...this.view, ...change };
    for (const listener of this.listeners) listener();
  }

  /** Beat position that is heard now, or null while stopped. */
  beat(): number | null {
    if (!this.view.playing || !this.context || !this.loop) return null;
    const heard = this.heard.at(this.context) - this.limiterS;
    return heard < this.loop.origin ? null : beatAt(this.loop, heard);
  }

  /** How many beats of the count-in are left to be heard; null where none are. */
  beatsAhead(): number | null {
    if (!this.view.playing || !this.context || !this.loop) return null;
    const heard = this.heard.at(this.context) - this.limiterS;
    return heard < this.loop.origin ? ((this.loop.origin - heard) * this.loop.bpm) / 60 : null;
  }

  /** Where in the loop what is heard now lies, and how long the loop is, ms; null while stopped. */
  loopMs(): { atMs: number; lengthMs: number } | null {
    const beat = this.beat();
    if (beat === null || !this.loop) return null;
    const beatMs = 60000 / this.loop.bpm;
    return { atMs: (beat % this.loop.beats) * beatMs, lengthMs: this.loop.beats * beatMs };
  }

  /** Peak of what is heard now, dBFS. */
  meterDb(): number {
    if (!this.analyser || !this.view.playing) return -90;
    return peakDb(this.analyser);
  }

  /** The next `seconds` of what goes to the loudspeaker, left and right, also before anything plays; `begun` once it is. */
  async record(
    seconds: number,
    begun: () => void = () => undefined,
  ): Promise<{ sides: Float32Array[]; sampleRate: number }> {
    if (this.wanted) await this.graph(this.wanted.track.sheet.sample_rate);
    const { limiter, context } = this;
    if (!limiter || !context) throw new Error("no track is open");
    return recorded(limiter, context.sampleRate, seconds, begun);
  }

  /** Stop, or play the loop from its mark on. */
  async toggle() {
    if (this.view.playing || this.view.loading) this.stop();
    else await this.from(this.view.markBeats);
  }

  stop() {
    const { context, level } = this;
    this.show({ playing: false, loading: false });
    if (!context || !level || !this.generation) return;
    const now = context.currentTime;
    this.silenceClicks();
    retire(this.generation, now, 0.02);
    this.generation = null;
    this.loop = null;
  }

  /** Play the loop from its start, after so many beats that are counted in. */
  async start(countedBeats = 0) {
    if (!this.wanted) return;
    this.counted = countedBeats;
    this.show({ loading: true, error: null });
    try {
      await this.graph(this.wanted.track.sheet.sample_rate);
      await this.swap();
    } catch (error) {
      if (error instanceof DOMException && error.name === "AbortError") return;
      this.show({ loading: false, error: error instanceof Error ? error.message : String(error) });
    }
  }

  /** From where the loop is to play next; what plays goes on there. */
  mark(beat: number) {
    if (this.view.playing) void this.from(beat);
    else this.show({ markBeats: beat });
  }

  /** Play the loop from a beat on: at once where it plays, else it begins there. */
  async from(beat: number) {
    this.jump = beat;
    this.show({ markBeats: beat });
    if (this.view.playing) this.swapNow(true);
    else await this.start();
  }

  /** The track that should be heard: new renders slip in at the next beat. */
  want(state: TrackState) {
    const before = this.wanted;
    this.wanted = state;
    if (!this.view.playing || before?.revision === state.revision) return;
    // What is compared stays as it is until both sides of the new one are measured: nothing gets louder in between.
    if (this.compared && before?.track.sheet.sample_rate === state.track.sheet.sample_rate) return;
    if (this.rate !== state.track.sheet.sample_rate) {
      this.stop();
      void this.start();
      return;
    }
    const early = SWAPS_APART_MS - (performance.now() - this.swappedAt);
    if (early <= 0) this.swapNow();
    else this.soon ??= setTimeout(() => this.swapNow(), early);
  }

  private swapNow(atOnce = false) {
    clearTimeout(this.soon);
    this.soon = undefined;
    if (!this.view.playing) return;
    this.swappedAt = performance.now();
    void this.swap(atOnce).catch((error) => {
      if (error instanceof DOMException && error.name === "AbortError") return;
      this.show({ error: error instanceof Error ? error.message : String(error) });
    });
  }

  setMatch(db: number) {
    this.desk.matchDb = db;
    this.desk.applySides(this.context, this.view.side);
  }

  setSide(side: Side) {
    this.show({ side });
    this.desk.applySides(this.context, side);
  }

  setSolo(solo: Solo) {
    this.show({ solo });
    this.desk.applyParts(this.context, solo);
  }

  /** Hear a part without its duck from the next beat on; null: every part as it is. */
  setFree(free: Solo) {
    this.show({ free });
    this.swapNow();
  }

  /** Compare the track with itself without something, which is what is heard first; null: the track as it is. */
  leaveOut(leftOut: LeftOut | null) {
    this.compared = null;
    this.show({ leftOut, without: leftOut !== null });
    if (leftOut === null) this.swapNow(true);
  }

  /** Both sides of the comparison, measured: from now on either is heard. */
  compare(compared: Comparison) {
    this.compared = compared;
    this.swapNow(true);
  }

  /** Which side of the comparison is heard. */
  setWithout(without: boolean) {
    this.show({ without });
    this.swapNow(true);
  }

  /**
   * Listen into one band of the loop: alone, or standing out while all the rest goes down, so that nothing gets louder.
   * null: as it is.
   */
  probe(how: Probe | null) {
    const { context, probed } = this;
    if (!context || !probed) return;
    probeInto(probed, context.currentTime, how);
  }

  /** Hear one part of the spectrum alone, or all of it; the level stays. */
  setBand(band: Band, lowHz = this.view.lowHz) {
    this.show({ band, lowHz });
    const [low, high] = edgesOf(band, lowHz, this.context?.sampleRate ?? 48000);
    for (const filter of this.highPasses) filter.frequency.value = low;
    for (const filter of this.lowPasses) filter.frequency.value = high;
  }

  setLevel(levelDb: number) {
    this.show({ levelDb });
    if (this.context) this.level?.gain.setTargetAtTime(factor(levelDb), this.context.currentTime, SETTLE_S / 3);
  }

  /** The graph at a rate, made once however many ask for it at the same time. */
  private async graph(rate: number) {
    if (!this.built || this.rate !== rate) {
      this.rate = rate;
      this.built = this.build(rate);
    }
    try {
      await this.built;
    } catch (error) {
      this.built = null;
      throw error;
    }
    await this.context?.resume();
  }

  private async build(rate: number) {
    await this.context?.close();
    this.context = null;
    this.buffers.clear();
    this.struck.clear();
    const made = await makeGraph(rate, SUBSONIC_HZ);
    this.context = made.context;
    this.limiter = made.limiter;
    this.limiter.port.addEventListener("message", ({ data }) => {
      if (data.delay_frames) this.limiterS = data.delay_frames / made.context.sampleRate;
    });
    this.limiter.port.start();
    this.analyser = made.analyser;
    this.level = made.level;
    this.lowPasses = made.lowPasses;
    this.highPasses = made.highPasses;
    this.desk.open(made.sides);
    this.loopGate = made.loopGate;
    this.probed = made.probed;
    this.entry = made.entry;
    this.setBand(this.view.band);
    this.desk.applyParts(this.context, this.view.solo);
    this.desk.applySides(this.context, this.view.side);
  }

  /** Make a sound ready to be struck; makes no graph: no key was pressed yet. */
  ready(key: string, get: () => Promise<ArrayBuffer>) {
    return this.struck.ready(key, get, this.context);
  }

  /**
   * Play a sound over the loop, or alone: `alone` silences the loop until the returned end is called; where `ended` is
   * given, until the sound has ended by itself.
   */
  async strike(
    key: string,
    get: () => Promise<ArrayBuffer>,
    alone = false,
    ended: (() => void) | null = null,
  ): Promise<() => void> {
    if (!this.wanted) return () => undefined;
    await this.graph(this.wanted.track.sheet.sample_rate);
    await this.ready(key, get);
    const { context, level, entry, loopGate } = this;
    const buffer = context && this.struck.buffer(key, context);
    if (!buffer || !level || !entry || !loopGate) return () => undefined;
    const now = context.currentTime;
    if (!this.view.playing) level.gain.setTargetAtTime(factor(this.view.levelDb), now, STRIKE_RISE_S);
    const source = new AudioBufferSourceNode(context, { buffer });
    const fade = new GainNode(context);
    source.connect(fade).connect(entry);
    source.start();
    source.onended = () => {
      fade.disconnect();
      if (!ended) return;
      // Heard to its end, the loop comes back by itself; not under the next that is heard alone.
      if (alone && this.aloneNow === own) loopGate.gain.setTargetAtTime(1, context.currentTime, SIDE_FADE_S / 3);
      ended();
    };
    const own = alone ? ++this.aloneNow : 0;
    if (alone) loopGate.gain.setTargetAtTime(0, now, SIDE_FADE_S / 3);
    performance.mark("juglant-struck");
    return () => {
      const then = context.currentTime;
      fade.gain.setTargetAtTime(0, then, SIDE_FADE_S / 3);
      source.stop(then + SETTLE_S);
      if (alone && this.aloneNow === own) loopGate.gain.setTargetAtTime(1, then, SIDE_FADE_S / 3);
    };
  }

  /** Stated time from a key to its sound, ms: what the browser reports of its output, and this page's limiter. */
  latencyMs(): number | null {
    const { context } = this;
    if (!context) return null;
    return 1000 * (context.baseLatency + (context.outputLatency || 0) + this.limiterS);
  }

  private async swap(atOnce = false) {
    const state = this.wanted;
    const { context, level } = this;
    if (!state || !context || !level) return;
    this.fetching?.abort();
    const fetching = new AbortController();
    this.fetching = fetching;
    const stems = played(state, this.compared, this.view.without, this.view.free);
    const key = stems.map(({ stem, gain }) => `${stem.part}/${stem.state} ${stem.key} ${gain}`).join();
    if (this.generation?.key === key && this.jump === null) return;
    const made = await Promise.all(stems.map((one) => this.buffers.get(state, one, context, fetching.signal)));
    if (fetching.signal.aborted || !(this.view.playing || this.view.loading)) return;
    const sheet = state.track.sheet;
    const beats = sheet.bars * 4;
    const now = context.currentTime;
    const first = this.loop === null;
    const at = swapAt(this.loop, now, AHEAD_S, {
      atOnce,
      jump: this.jump,
      countedS: (this.counted * 60) / sheet.bpm,
    });
    this.jump = null;
    const voices = made.map((buffer, index) => {
      const { stem, gain } = stems[index] as Played;
      const into = this.desk.part(stem, context, this.view.solo);
      return voiceOf(context, buffer, into, {
        gain,
        first,
        time: at.time,
        offsetS: ((at.beat % beats) * 60) / sheet.bpm,
      });
    });
    if (this.generation) retire(this.generation, at.time, SWAP_FADE_S);
    this.generation = { voices, key };
    this.loop = { origin: originFor(at.time, at.beat, sheet.bpm, beats), bpm: sheet.bpm, beats };
    if (first && this.entry && this.counted) {
      this.silenceClicks = countIn(context, this.entry, now + AHEAD_S, sheet.bpm, this.counted);
    }
    if (first) {
      level.gain.cancelScheduledValues(now);
      level.gain.setValueAtTime(0, now);
      level.gain.linearRampToValueAtTime(factor(this.view.levelDb), now + FADE_IN_S);
    }
    performance.mark("juglant-scheduled");
    this.show({ playing: true, loading: false });
  }
}
