import { factor, SIDE_FADE_S } from "./desk";
import type { Side } from "./stems";

/** Poles of a Butterworth filter of order 4, as two filters of order 2. */
const QS = [0.5412, 1.3066];
/** A low pass that is not used lies this share of the rate up. */
const OPEN = 0.49;
/** A high pass that is not used stands here. */
const LOWEST_HZ = 5;

/** What the page plays through: sides into a gate, a band to listen into, filters, level, limiter, meter. */
export interface Graph {
  context: AudioContext;
  sides: Map<Side, GainNode>;
  loopGate: GainNode;
  /** A band of the loop beside all of it. */
  probed: { band: BiquadFilterNode; direct: GainNode; through: GainNode };
  /** Where all of it comes together, ahead of the filters. */
  entry: AudioNode;
  lowPasses: BiquadFilterNode[];
  highPasses: BiquadFilterNode[];
  level: GainNode;
  limiter: AudioWorkletNode;
  analyser: AnalyserNode;
}

/** The graph at a rate, silent until its level is raised; nothing below `subsonicHz` passes. */
export async function makeGraph(rate: number, subsonicHz: number): Promise<Graph> {
  const context = new AudioContext({ sampleRate: rate, latencyHint: "interactive" });
  await context.audioWorklet.addModule("/limiter.js");
  const filter = (type: BiquadFilterType, frequency: number) =>
    QS.map((q) => new BiquadFilterNode(context, { type, frequency, Q: 20 * Math.log10(q) }));
  const subsonic = filter("highpass", subsonicHz);
  const highPasses = filter("highpass", LOWEST_HZ);
  const lowPasses = filter("lowpass", rate * OPEN);
  const level = new GainNode(context, { gain: 0 });
  const limiter = new AudioWorkletNode(context, "juglant-limiter", { outputChannelCount: [2] });
  const analyser = new AnalyserNode(context, { fftSize: 2048 });
  const chain: AudioNode[] = [...subsonic, ...highPasses, ...lowPasses, level, limiter, analyser];
  chain.forEach((node, index) => void node.connect(chain[index + 1] ?? context.destination));
  const entry = chain[0] as AudioNode;
  const loopGate = new GainNode(context);
  const sides = new Map((["before", "after"] as Side[]).map((side) => [side, new GainNode(context, { gain: 0 })]));
  for (const side of sides.values()) side.connect(loopGate);
  const direct = new GainNode(context);
  const through = new GainNode(context, { gain: 0 });
  const band = new BiquadFilterNode(context, { type: "bandpass", frequency: 60, Q: 1 });
  loopGate.connect(direct).connect(entry);
  loopGate.connect(band).connect(through).connect(entry);
  const probed = { band, direct, through };
  return { context, sides, loopGate, probed, entry, lowPasses, highPasses, level, limiter, analyser };
}

/** Peak of what an analyser hears, dBFS, floored at -90. */
export function peakDb(analyser: AnalyserNode): number {
  const block = new Float32Array(analyser.fftSize);
  analyser.getFloatTimeDomainData(block);
  let peak = 0;
  for (const x of block) peak = Math.max(peak, Math.abs(x));
  return Math.max(-90, 20 * Math.log10(Math.max(peak, 1e-9)));
}

/** A band of the loop that is listened into: alone, or standing out. */
export interface Probe {
  kind: "alone" | "out";
  hz: number;
  q: number;
}

/** A band that is searched for stands out by this: the rest is turned down. */
const STANDS_OUT_DB = 9;

/** Have a band heard alone, or standing out while all the rest goes down, from a moment on; null: all as it is. */
export function probeInto(probed: Graph["probed"], now: number, how: Probe | null) {
  const rest = how === null ? 1 : how.kind === "alone" ? 0 : factor(-STANDS_OUT_DB);
  if (how) {
    probed.band.frequency.setTargetAtTime(how.hz, now, SIDE_FADE_S / 3);
    probed.band.Q.setTargetAtTime(how.q, now, SIDE_FADE_S / 3);
  }
  probed.direct.gain.setTargetAtTime(rest, now, SIDE_FADE_S / 3);
  probed.through.gain.setTargetAtTime(how === null ? 0 : 1 - rest, now, SIDE_FADE_S / 3);
}
