const KEPT = "juglant-output-delay-s";

/**
 * What is heard now, in a context's own time: what it renders, less the delay of the output.
 *
 * A browser learns that delay while it plays: until it says one, the last that it said here counts, so that a playhead
 * does not start too early and jump back.
 */
export class HeardClock {
  private known = Number(localStorage.getItem(KEPT)) || 0;

  at(context: AudioContext): number {
    const said = context.outputLatency || 0;
    if (said > 0 && Math.abs(said - this.known) > 0.001) {
      this.known = said;
      localStorage.setItem(KEPT, said.toFixed(4));
    }
    return context.currentTime - (said > 0 ? said : this.known || context.baseLatency || 0);
  }
}
