import { api } from "../api/client";
import type { TrackState } from "../api/types";
import type { Played } from "./comparison";
import { bytesOf, Shelf } from "./shelf";
import { bufferOf } from "./strikes";

const MOST_BYTES = 256e6;

/** Stems that were fetched, the ones used last: equal keys are equal audio. */
export class StemBuffers {
  private buffers = new Shelf<AudioBuffer>(MOST_BYTES, bytesOf);

  clear() {
    this.buffers.clear();
  }

  async get(state: TrackState, one: Played, context: AudioContext, signal: AbortSignal): Promise<AudioBuffer> {
    const known = this.buffers.get(one.stem.key);
    if (known) return known;
    const data = await api.stem(state.id, state.revision, one.stem, one.without, { signal });
    const made = bufferOf(data, context);
    this.buffers.set(one.stem.key, made);
    return made;
  }
}
