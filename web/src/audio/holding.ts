/** So much of what was heard is always held while the recorder is armed, s. */
export const HELD_S = 30;
/** A recording is no sound any more once it is as long as one may be, what was held before it in. */
export const MOST_S = 98;
const LEVEL_S = 0.3;
const JUDGED_S = 3;
/** So near to full scale a sample counts as cut off; so few of them may be chance. */
const FULL = 0.9985;
const FULL_SAMPLES = 3;
const QUIET_DB = -40;
const FLOOR_DB = -90;

interface Block {
  samples: Float32Array;
  /** Frame of the context that it begins at. */
  begins: number;
  peak: number;
  full: number;
}

export interface Level {
  /** Of the last moment, dBFS. */
  peakDb: number;
  tooLoud: boolean;
  tooQuiet: boolean;
}

/** The last half minute of what a microphone heard, in bounded memory; while it records, all that comes after it too. */
export class Holding {
  private blocks: Block[] = [];
  private frames = 0;
  /** Frames that were held when the recording began; null: nothing is recorded. */
  private before: number | null = null;

  constructor(readonly rate: number) {}

  get heldS() {
    return this.frames / this.rate;
  }

  get recording() {
    return this.before !== null;
  }

  /** How much was held before the recording was begun, s. */
  get beforeS() {
    return (this.before ?? this.frames) / this.rate;
  }

  add(samples: Float32Array, begins: number) {
    let peak = 0;
    let full = 0;
    for (const x of samples) {
      const size = Math.abs(x);
      if (size > peak) peak = size;
      if (size >= FULL) full++;
    }
    this.blocks.push({ samples, begins, peak, full });
    this.frames += samples.length;
    if (this.before !== null) return;
    let first = this.blocks[0];
    while (first && this.frames - first.samples.length >= HELD_S * this.rate) {
      this.frames -= first.samples.length;
      this.blocks.shift();
      first = this.blocks[0];
    }
  }

  begin() {
    this.before = this.frames;
  }

  /** Everything that is held, in one piece, and the context's frame it begins at; the holding goes on without it. */
  take(): { samples: Float32Array; begins: number } {
    const samples = new Float32Array(this.frames);
    let at = 0;
    for (const block of this.blocks) {
      samples.set(block.samples, at);
      at += block.samples.length;
    }
    const begins = this.blocks[0]?.begins ?? 0;
    this.blocks = [];
    this.frames = 0;
    this.before = null;
    return { samples, begins };
  }

  /** What came from a frame of the context on. */
  since(frame: number): Float32Array {
    const kept = this.blocks.filter((one) => one.begins + one.samples.length > frame);
    const made = new Float32Array(kept.reduce((sum, one) => sum + one.samples.length, 0));
    let at = 0;
    for (const one of kept) {
      made.set(one.samples, at);
      at += one.samples.length;
    }
    return made.subarray(Math.max(0, frame - (kept[0]?.begins ?? frame)));
  }

  private newest(seconds: number) {
    let left = seconds * this.rate;
    let [peak, full] = [0, 0];
    for (let at = this.blocks.length - 1; at >= 0 && left > 0; at--) {
      const block = this.blocks[at] as Block;
      peak = Math.max(peak, block.peak);
      full += block.full;
      left -= block.samples.length;
    }
    return { peak, full, whole: left <= 0 };
  }

  level(): Level {
    const now = this.newest(LEVEL_S).peak;
    const lately = this.newest(JUDGED_S);
    const db = (peak: number) => Math.max(FLOOR_DB, 20 * Math.log10(Math.max(peak, 1e-9)));
    return {
      peakDb: db(now),
      tooLoud: lately.full >= FULL_SAMPLES,
      tooQuiet: lately.whole && db(lately.peak) < QUIET_DB,
    };
  }

  /** Peaks of what is held, the oldest first, one a column. */
  peaks(columns: number): number[] {
    const made = new Array<number>(columns).fill(0);
    let at = 0;
    for (const block of this.blocks) {
      const column = Math.min(columns - 1, Math.floor((columns * at) / Math.max(1, this.frames)));
      made[column] = Math.max(made[column] ?? 0, block.peak);
      at += block.samples.length;
    }
    return made;
  }
}

/** A sound to find again: a short rise through the middle of what rooms and small loudspeakers pass, its ends silent. */
export function chirp(rate: number): Float32Array<ArrayBuffer> {
  const [seconds, lowHz, highHz] = [0.012, 1500, 6000];
  const count = Math.round(seconds * rate);
  return Float32Array.from({ length: count }, (_, n) => {
    const t = n / rate;
    const phase = 2 * Math.PI * (lowHz * t + ((highHz - lowHz) * t * t) / (2 * seconds));
    return Math.sin(phase) * Math.sin((Math.PI * n) / (count - 1)) ** 2;
  });
}

/** It is found where it stands out so far over all other places. */
const SURE = 4;

/** After how many frames a sound begins in what was heard; null where it is not in it for sure. */
export function foundAt(heard: Float32Array, sound: Float32Array): number | null {
  const places = heard.length - sound.length;
  if (places <= 0) return null;
  const products = new Float64Array(places);
  let [best, sum] = [0, 0];
  for (let place = 0; place < places; place++) {
    let product = 0;
    for (let n = 0; n < sound.length; n++) product += (heard[place + n] as number) * (sound[n] as number);
    products[place] = Math.abs(product);
    sum += product * product;
    if ((products[place] as number) > (products[best] as number)) best = place;
  }
  const usual = Math.sqrt(sum / places);
  return (products[best] as number) > SURE * usual ? best : null;
}

/** Where a loop stands: its beat at a time of the context, its length and tempo. */
export interface LoopNow {
  atS: number;
  beat: number;
  beats: number;
  bpm: number;
}

/** The first frame of a take at which the loop begins, what is played late by `latencyS` taken out; null: not in it. */
export function loopStart(
  begins: number,
  frames: number,
  rate: number,
  loop: LoopNow,
  latencyS: number,
): number | null {
  const beatS = 60 / loop.bpm;
  const turn = loop.beats * beatS * rate;
  const one = (loop.atS - loop.beat * beatS + latencyS) * rate - begins;
  const first = Math.round(one - turn * Math.floor(one / turn));
  return first < frames ? first : null;
}
