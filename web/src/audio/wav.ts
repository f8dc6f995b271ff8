/** Samples of a mono 32-bit float WAV: decoded by hand, so that nothing resamples or pads them. */
export function floatWav(data: ArrayBuffer): { samples: Float32Array<ArrayBuffer>; sampleRate: number } {
  const view = new DataView(data);
  const tag = (at: number) => String.fromCharCode(...new Uint8Array(data, at, 4));
  let sampleRate = 0;
  for (let at = 12; at + 8 <= data.byteLength; ) {
    const size = view.getUint32(at + 4, true);
    if (tag(at) === "fmt ") sampleRate = view.getUint32(at + 12, true);
    if (tag(at) === "data") {
      return { samples: new Float32Array(data.slice(at + 8, at + 8 + size - (size % 4))), sampleRate };
    }
    at += 8 + size + (size % 2);
  }
  throw new Error("the stem has no samples");
}
