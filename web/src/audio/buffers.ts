import { api } from "../api/client";
import type { TrackState } from "../api/types";
import type { Played } from "./comparison";
import { bufferOf } from "./strikes";

const KEPT = 48;

/** Stems that were fetched, the newest of them: equal keys are equal audio. */
export class StemBuffers {
  private buffers = new Map<string, AudioBuffer>();

  clear() {
    this.buffers.clear();
  }

  async get(state: TrackState, one: Played, context: AudioContext, signal: AbortSignal): Promise<AudioBuffer> {
    const known = this.buffers.get(one.stem.key);
    if (known) return known;
    const data = await api.stem(state.id, state.revision, one.stem, one.without, { signal });
    const made = bufferOf(data, context);
    this.buffers.set(one.stem.key, made);
    for (const old of this.buffers.keys()) {
      if (this.buffers.size <= KEPT) break;
      this.buffers.delete(old);
    }
    return made;
  }
}
