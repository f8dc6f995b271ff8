export interface FloatWav {
  /** One array a channel. */
  channels: Float32Array<ArrayBuffer>[];
  sampleRate: number;
}

/** Samples of a 32-bit float WAV: decoded by hand, so that nothing resamples or pads them. */
export function floatWav(data: ArrayBuffer): FloatWav {
  const view = new DataView(data);
  const tag = (at: number) => String.fromCharCode(...new Uint8Array(data, at, 4));
  let sampleRate = 0;
  let count = 1;
  for (let at = 12; at + 8 <= data.byteLength; ) {
    const size = view.getUint32(at + 4, true);
    if (tag(at) === "fmt ") {
      count = Math.max(1, view.getUint16(at + 10, true));
      sampleRate = view.getUint32(at + 12, true);
    }
    if (tag(at) === "data") {
      const first = at + 8;
      const frames = Math.floor(Math.min(size, data.byteLength - first) / (4 * count));
      const bytes = 4 * count * frames;
      // Where samples lie on whole words they are looked at where they are.
      const all =
        first % 4 === 0
          ? new Float32Array(data, first, bytes / 4)
          : new Float32Array(data.slice(first, first + bytes));
      if (count === 1) return { channels: [all], sampleRate };
      const channels = Array.from({ length: count }, (_, side) => {
        const samples = new Float32Array(frames);
        for (let n = 0; n < frames; n++) samples[n] = all[n * count + side] ?? 0;
        return samples;
      });
      return { channels, sampleRate };
    }
    at += 8 + size + (size % 2);
  }
  throw new Error("the stem has no samples");
}

const HEADER_BYTES = 44;
const IEEE_FLOAT = 3;

/** A sound of one channel as a 32-bit float WAV. */
export function wavOf(samples: Float32Array, sampleRate: number): Blob {
  const view = new DataView(new ArrayBuffer(HEADER_BYTES));
  const tag = (at: number, text: string) => {
    for (const [n, letter] of [...text].entries()) view.setUint8(at + n, letter.charCodeAt(0));
  };
  const bytes = 4 * samples.length;
  tag(0, "RIFF");
  view.setUint32(4, HEADER_BYTES - 8 + bytes, true);
  tag(8, "WAVEfmt ");
  view.setUint32(16, 16, true);
  view.setUint16(20, IEEE_FLOAT, true);
  view.setUint16(22, 1, true);
  view.setUint32(24, sampleRate, true);
  view.setUint32(28, 4 * sampleRate, true);
  view.setUint16(32, 4, true);
  view.setUint16(34, 32, true);
  tag(36, "data");
  view.setUint32(40, bytes, true);
  return new Blob([view.buffer as ArrayBuffer, samples as Float32Array<ArrayBuffer>], { type: "audio/wav" });
}
