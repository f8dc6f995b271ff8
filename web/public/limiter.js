// Preview limiter: looks ahead, holds, lets go. What leaves it stays at or under -1 dBTP.
//
// Peaks between samples are found with a windowed-sinc interpolator at eight points a sample (twice as fine as
// ITU-R BS.1770-5 annex 2 asks for). A sample's gain is the least that any peak near it needs, over a window that reaches
// ahead by the delay and back by half a period of the lowest tone that is played: a steady tone meets a steady gain, so a low
// tone stays one. The gain moves along a curve without corners, so that nothing of it is heard above the sound it turns down.
const CEILING = 10 ** (-1.1 / 20);
const POINTS = 8;
const TAPS = 32;
const BETA = 7;
/** Each of the two averages that the gain passes through; together they are as long as the delay. */
const SMOOTH_MS = 1.25;
/** Half a period of 16 Hz: below the lowest tone that passes the filter ahead of this. */
const HOLD_MS = 31.25;
const RELEASE_S = 0.08;

/** Modified Bessel function of order zero, by its series (Abramowitz and Stegun 9.6.12). */
function bessel(x) {
  let sum = 1;
  let term = 1;
  for (let k = 1; k < 40; k++) {
    term *= (x / (2 * k)) ** 2;
    sum += term;
  }
  return sum;
}

/** Taps that give what lies between sample TAPS / 2 - 1 and the next, at POINTS - 1 places (Kaiser window). */
function interpolators() {
  const rows = [];
  const half = TAPS / 2;
  for (let point = 1; point < POINTS; point++) {
    const row = new Float64Array(TAPS);
    for (let i = 0; i < TAPS; i++) {
      const x = i - (half - 1) - point / POINTS;
      const sinc = Math.sin(Math.PI * x) / (Math.PI * x);
      row[i] = (sinc * bessel(BETA * Math.sqrt(Math.max(0, 1 - (x / half) ** 2)))) / bessel(BETA);
    }
    rows.push(row);
  }
  return rows;
}

/** The mean of the newest `length` values. */
class Mean {
  constructor(length, start) {
    this.values = new Float64Array(length).fill(start);
    this.sum = length * start;
    this.at = 0;
  }

  next(value) {
    this.sum += value - this.values[this.at];
    this.values[this.at] = value;
    if (++this.at === this.values.length) {
      this.at = 0;
      // The running sum collects rounding: make it anew.
      this.sum = 0;
      for (const one of this.values) this.sum += one;
    }
    return this.sum / this.values.length;
  }
}

/** The least of the newest `length` values, in a few steps a value: those that can still become the least, in order. */
class Least {
  constructor(length) {
    this.length = length;
    this.values = new Float64Array(length);
    this.when = new Float64Array(length);
    this.first = 0;
    this.count = 0;
    this.now = 0;
  }

  next(value) {
    const { length, values, when } = this;
    if (this.count > 0 && when[this.first] <= this.now - length) {
      this.first = (this.first + 1) % length;
      this.count--;
    }
    while (this.count > 0 && values[(this.first + this.count - 1) % length] >= value) this.count--;
    const slot = (this.first + this.count) % length;
    values[slot] = value;
    when[slot] = this.now++;
    this.count++;
    return values[this.first];
  }
}

class Limiter extends AudioWorkletProcessor {
  constructor() {
    super();
    this.rows = interpolators();
    const smooth = Math.max(2, Math.round((SMOOTH_MS / 1000) * sampleRate));
    const hold = Math.round((HOLD_MS / 1000) * sampleRate);
    this.means = [new Mean(smooth, 1), new Mean(smooth, 1)];
    // The newest sample is TAPS / 2 ahead of the one whose peak is looked for, and the averages are late by their length.
    this.delay = TAPS / 2 + 2 * smooth;
    this.least = new Least(2 * smooth + 2 + hold);
    this.size = this.delay + TAPS + 1;
    // Twice over, so that the newest TAPS samples always lie in one piece.
    this.lines = [new Float64Array(2 * this.size), new Float64Array(2 * this.size)];
    this.now = new Float64Array(2);
    this.at = 0;
    this.gain = 1;
    this.release = 1 - Math.exp(-1 / (RELEASE_S * sampleRate));
    // What lies between samples is at most this many times the largest of them.
    this.most = Math.max(...this.rows.map((row) => row.reduce((sum, tap) => sum + Math.abs(tap), 0)));
    this.loud = 0;
    this.apart = 0;
    this.record = null;
    this.port.postMessage({ delay_frames: this.delay });
    this.port.onmessage = (event) => {
      const frames = event.data.record;
      if (!frames) return;
      this.record = { sides: [new Float32Array(frames), new Float32Array(frames)], at: 0 };
      this.port.postMessage({ recording: frames });
    };
  }

  /** The largest value at, and up to the next after, the sample TAPS / 2 before the newest. */
  peakOf(line) {
    const from = this.at + this.size - TAPS + 1;
    let peak = Math.abs(line[from + TAPS / 2 - 1]);
    for (const row of this.rows) {
      let value = 0;
      for (let i = 0; i < TAPS; i++) value += row[i] * line[from + i];
      if (value > peak) peak = value;
      else if (-value > peak) peak = -value;
    }
    return peak;
  }

  process(inputs, outputs) {
    const input = inputs[0];
    const out = outputs[0];
    const frames = out[0].length;
    // One channel goes to both sides; both sides share one gain, so that the image stays where it is.
    const sides = Math.min(2, input.length);
    for (let n = 0; n < frames; n++) {
      for (let side = 0; side < 2; side++) {
        const x = sides === 0 ? 0 : input[Math.min(side, sides - 1)][n];
        this.now[side] = Number.isFinite(x) ? x : 0;
        this.lines[side][this.at] = this.now[side];
        this.lines[side][this.at + this.size] = this.now[side];
      }
      // Where nothing between the taps can reach the ceiling, or the sides are alike, nothing is looked at.
      if (this.most * Math.max(Math.abs(this.now[0]), Math.abs(this.now[1])) >= CEILING) this.loud = TAPS;
      if (this.now[0] !== this.now[1]) this.apart = TAPS;
      let peak = 0;
      if (this.loud > 0) {
        peak = this.peakOf(this.lines[0]);
        if (this.apart > 0) peak = Math.max(peak, this.peakOf(this.lines[1]));
      }
      this.loud--;
      this.apart--;
      const least = this.least.next(peak > CEILING ? CEILING / peak : 1);
      this.gain = Math.min(least, this.gain + (least - this.gain) * this.release);
      const gain = this.means[1].next(this.means[0].next(this.gain));
      const from = this.at + this.size - this.delay;
      const left = this.lines[0][from] * gain;
      const right = this.lines[1][from] * gain;
      out[0][n] = out[1] ? left : (left + right) / 2;
      if (out[1]) out[1][n] = right;
      this.at = (this.at + 1) % this.size;
    }
    this.takeDown(out, frames);
    return true;
  }

  /** Keep what leaves, both sides, as long as was asked for. */
  takeDown(out, frames) {
    if (!this.record) return;
    const { sides } = this.record;
    const some = Math.min(frames, sides[0].length - this.record.at);
    for (const [side, samples] of sides.entries())
      samples.set((out[side] ?? out[0]).subarray(0, some), this.record.at);
    this.record.at += some;
    if (this.record.at < sides[0].length) return;
    this.port.postMessage({ recorded: sides });
    this.record = null;
  }
}

registerProcessor("juglant-limiter", Limiter);
