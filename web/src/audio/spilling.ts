import type { Recorded } from "../api/types";

/** Where a long recording goes: begun once, then appended to from a frame on. */
export interface Keeper {
  begin: (rate: number) => Promise<Recorded>;
  append: (id: string, atFrame: number, samples: Float32Array<ArrayBuffer>) => Promise<Recorded>;
}

/** So much is sent at once, s; a piece that is refused is tried so often again before the recording ends. */
const PIECE_S = 4;
const TRIES = 4;
const AGAIN_MS = 1500;

/** A recording on its way to the disk, piece by piece: what was sent is let go of, what was not is held. */
export class Spilling {
  private waiting: Float32Array[] = [];
  private frames = 0;
  private sent = 0;
  private id: string | null = null;
  private working: Promise<void> | null = null;
  failed: Error | null = null;

  constructor(
    private readonly keeper: Keeper,
    private readonly rate: number,
  ) {}

  /** Everything that was ever added, s. */
  get totalS() {
    return (this.sent + this.frames) / this.rate;
  }

  /** What is not on the disk yet, s. */
  get heldS() {
    return this.frames / this.rate;
  }

  add(samples: Float32Array) {
    this.waiting.push(samples);
    this.frames += samples.length;
    if (this.frames >= PIECE_S * this.rate && !this.failed) this.work();
  }

  private work() {
    this.working ??= this.send(PIECE_S * this.rate).finally(() => {
      this.working = null;
    });
  }

  /** Send whole pieces, or all there is where `least` is 1. */
  private async send(least: number) {
    for (let tries = 0; this.frames >= least && this.frames > 0; ) {
      try {
        this.id ??= (await this.keeper.begin(this.rate)).id;
        const piece = this.next();
        await this.keeper.append(this.id, this.sent, piece);
        this.drop(piece.length);
        tries = 0;
      } catch (error) {
        tries++;
        if (tries >= TRIES) {
          this.failed = error instanceof Error ? error : new Error(String(error));
          return;
        }
        await new Promise((resolve) => setTimeout(resolve, AGAIN_MS));
      }
    }
  }

  private next(): Float32Array<ArrayBuffer> {
    const made = new Float32Array(Math.min(this.frames, Math.round(PIECE_S * this.rate)));
    let at = 0;
    for (const block of this.waiting) {
      if (at >= made.length) break;
      const part = block.subarray(0, made.length - at);
      made.set(part, at);
      at += part.length;
    }
    return made;
  }

  private drop(count: number) {
    this.sent += count;
    this.frames -= count;
    let left = count;
    while (left > 0) {
      const first = this.waiting[0];
      if (!first) return;
      if (first.length <= left) {
        this.waiting.shift();
        left -= first.length;
      } else {
        this.waiting[0] = first.subarray(left);
        left = 0;
      }
    }
  }

  /** Send the rest; the recording's id once all of it is on the disk. Tried anew where it had failed. */
  async end(): Promise<string> {
    await this.working;
    this.failed = null;
    await this.send(1);
    if (this.failed) throw this.failed;
    if (this.id === null) throw new Error("Nothing was recorded.");
    return this.id;
  }
}
