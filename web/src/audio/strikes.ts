import { floatWav } from "./wav";

const KEPT = 96;

/** A buffer of a WAV, sample for sample. */
export function bufferOf(data: ArrayBuffer, context: AudioContext): AudioBuffer {
  const { channels } = floatWav(data);
  const made = context.createBuffer(channels.length, Math.max(1, channels[0]?.length ?? 0), context.sampleRate);
  for (const [side, samples] of channels.entries()) made.copyToChannel(samples, side);
  return made;
}

/** Sounds that can be struck at once, the newest of them. */
export class Strikes {
  private sounds = new Map<string, AudioBuffer | ArrayBuffer>();

  clear() {
    this.sounds.clear();
  }

  /** Have a sound here; `get` is asked only where the key is not known. */
  async ready(key: string, get: () => Promise<ArrayBuffer>, context: AudioContext | null) {
    if (this.sounds.has(key)) return;
    const data = await get();
    this.sounds.set(key, context?.state === "running" ? bufferOf(data, context) : data);
    for (const old of this.sounds.keys()) {
      if (this.sounds.size <= KEPT) break;
      this.sounds.delete(old);
    }
  }

  buffer(key: string, context: AudioContext): AudioBuffer | null {
    const found = this.sounds.get(key);
    if (!found) return null;
    const made = found instanceof AudioBuffer ? found : bufferOf(found, context);
    this.sounds.set(key, made);
    return made;
  }
}
