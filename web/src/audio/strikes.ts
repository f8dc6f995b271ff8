import { bytesOf, Shelf } from "./shelf";
import { floatWav } from "./wav";

const MOST_BYTES = 64e6;

/** A buffer of a WAV, sample for sample. */
export function bufferOf(data: ArrayBuffer, context: AudioContext): AudioBuffer {
  const { channels } = floatWav(data);
  const made = context.createBuffer(channels.length, Math.max(1, channels[0]?.length ?? 0), context.sampleRate);
  for (const [side, samples] of channels.entries()) made.copyToChannel(samples, side);
  return made;
}

/** Sounds that can be struck at once, the ones struck last. */
export class Strikes {
  private sounds = new Shelf<AudioBuffer | ArrayBuffer>(MOST_BYTES, bytesOf);

  clear() {
    this.sounds.clear();
  }

  /** Have a sound here; `get` is asked only where the key is not known. */
  async ready(key: string, get: () => Promise<ArrayBuffer>, context: AudioContext | null) {
    if (this.sounds.has(key)) return;
    const data = await get();
    this.sounds.set(key, context?.state === "running" ? bufferOf(data, context) : data);
  }

  buffer(key: string, context: AudioContext): AudioBuffer | null {
    const found = this.sounds.get(key);
    if (!found) return null;
    const made = found instanceof AudioBuffer ? found : bufferOf(found, context);
    this.sounds.set(key, made);
    return made;
  }
}
