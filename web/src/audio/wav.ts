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
      const all = new Float32Array(data.slice(at + 8, at + 8 + size - (size % (4 * count))));
      if (count === 1) return { channels: [all], sampleRate };
      const frames = all.length / count;
      const channels = Array.from({ length: count }, (_, side) =>
        Float32Array.from({ length: frames }, (_, n) => all[n * count + side] ?? 0),
      );
      return { channels, sampleRate };
    }
    at += 8 + size + (size % 2);
  }
  throw new Error("the stem has no samples");
}
