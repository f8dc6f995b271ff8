/** What a sound holds on to, bytes. */
export const bytesOf = (one: AudioBuffer | ArrayBuffer): number =>
  "byteLength" in one ? one.byteLength : 4 * one.numberOfChannels * one.length;

/** Things kept by a key, the ones used last, so many bytes of them together; the newest is kept whatever it weighs. */
export class Shelf<T> {
  private kept = new Map<string, T>();
  private bytes = 0;

  constructor(
    private readonly most: number,
    private readonly weigh: (one: T) => number,
  ) {}

  get weight(): number {
    return this.bytes;
  }

  has(key: string): boolean {
    return this.kept.has(key);
  }

  get(key: string): T | undefined {
    const found = this.kept.get(key);
    if (found !== undefined) {
      // Used last now.
      this.kept.delete(key);
      this.kept.set(key, found);
    }
    return found;
  }

  set(key: string, one: T): void {
    this.drop(key);
    this.kept.set(key, one);
    this.bytes += this.weigh(one);
    for (const old of this.kept.keys()) {
      if (this.bytes <= this.most || old === key) break;
      this.drop(old);
    }
  }

  clear(): void {
    this.kept.clear();
    this.bytes = 0;
  }

  private drop(key: string): void {
    const old = this.kept.get(key);
    if (old === undefined) return;
    this.kept.delete(key);
    this.bytes -= this.weigh(old);
  }
}
