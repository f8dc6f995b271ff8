// Preview limiter: look-ahead, ceiling -1 dBTP. Peaks between samples are estimated with a 12-tap interpolator at
// three points (4x, as in ITU-R BS.1770-5 annex 2) and kept 0.3 dB further down for what that estimate misses.
const CEILING = 10 ** (-1.3 / 20);
const WINDOW = 96;
const RELEASE_S = 0.08;
const TAPS = 12;

function interpolators() {
  const rows = [];
  for (const part of [0.25, 0.5, 0.75]) {
    const row = new Float32Array(TAPS);
    for (let i = 0; i < TAPS; i++) {
      const x = i - (TAPS / 2 - 1) - part;
      const sinc = x === 0 ? 1 : Math.sin(Math.PI * x) / (Math.PI * x);
      row[i] = sinc * (0.5 + 0.5 * Math.cos((Math.PI * x) / (TAPS / 2)));
    }
    rows.push(row);
  }
  return rows;
}

class Limiter extends AudioWorkletProcessor {
  constructor() {
    super();
    this.rows = interpolators();
    this.lines = [new Float32Array(WINDOW + TAPS), new Float32Array(WINDOW + TAPS)]; // delayed signal, left and right
    this.wanted = new Float32Array(WINDOW).fill(1); // gain each sample asks for
    this.held = new Float32Array(WINDOW).fill(1); // its minimum over the window, released slowly
    this.at = 0;
    this.gain = 1;
    this.sum = WINDOW;
    this.release = 1 - Math.exp(-1 / (RELEASE_S * sampleRate));
    this.lowest = 1;
    this.loudest = 0;
    // What lies between samples is at most this many times the largest of them.
    this.most = Math.max(1, ...this.rows.map((row) => row.reduce((sum, tap) => sum + Math.abs(tap), 0)));
    this.since = 0;
    this.record = null;
    this.port.onmessage = (event) => {
      if (event.data.record) this.record = { data: new Float32Array(event.data.record), at: 0 };
    };
  }

  peakHere(signal, at) {
    let peak = Math.abs(signal[(at + TAPS / 2) % signal.length]);
    for (const row of this.rows) {
      let value = 0;
      for (let i = 0; i < TAPS; i++) value += row[i] * signal[(at + 1 + i) % signal.length];
      peak = Math.max(peak, Math.abs(value));
    }
    return peak;
  }

  process(inputs, outputs) {
    const input = inputs[0];
    const out = outputs[0];
    const length = WINDOW + TAPS;
    // One channel goes to both sides; both sides share one gain, so that the image stays where it is.
    const two = input.length > 1;
    let block = 0;
    for (const side of input) for (const x of side) block = Math.max(block, Math.abs(x));
    // Samples of the block before are still between the taps. Where nothing can reach the ceiling nothing is looked at.
    const near = !(this.most * Math.max(block, this.loudest) < CEILING);
    this.loudest = block;
    for (let n = 0; n < out[0].length; n++) {
      let peak = 0;
      for (let side = 0; side < (two ? 2 : 1); side++) {
        const x = input[side] ? input[side][n] : 0;
        this.lines[side][this.at % length] = Number.isFinite(x) ? x : 0;
        if (!two) this.lines[1][this.at % length] = this.lines[0][this.at % length];
        if (near) peak = Math.max(peak, this.peakHere(this.lines[side], this.at));
      }
      this.wanted[this.at % WINDOW] = peak > CEILING ? CEILING / peak : 1;
      let least = 1;
      if (this.lowest < 1 || peak > CEILING) for (let i = 0; i < WINDOW; i++) least = Math.min(least, this.wanted[i]);
      this.lowest = least;
      this.gain = Math.min(least, this.gain + (1 - this.gain) * this.release);
      const slot = this.at % WINDOW;
      this.sum += this.gain - this.held[slot];
      this.held[slot] = this.gain;
      const gain = Math.min(1, this.sum / WINDOW);
      const left = this.lines[0][(this.at + 1) % length] * gain;
      const right = this.lines[1][(this.at + 1) % length] * gain;
      out[0][n] = out[1] ? left : (left + right) / 2;
      if (out[1]) out[1][n] = right;
      if (this.record && this.record.at < this.record.data.length)
        this.record.data[this.record.at++] = (left + right) / 2;
      this.at = (this.at + 1) % (length * WINDOW);
    }
    if (this.record && this.record.at >= this.record.data.length) {
      this.port.postMessage({ recorded: this.record.data });
      this.record = null;
    }
    this.since += out[0].length;
    if (this.since > sampleRate / 20) {
      this.since = 0;
      // The running sum collects rounding: make it anew.
      this.sum = this.held.reduce((total, value) => total + value, 0);
    }
    return true;
  }
}

registerProcessor("juglant-limiter", Limiter);
