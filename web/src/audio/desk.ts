import type { Stem } from "../api/types";
import { type Side, sideOf } from "./stems";

export const SIDE_FADE_S = 0.02;
export const factor = (db: number) => 10 ** (db / 20);

/** Which side and which part of the loop is heard: the gains of both. */
export class Desk {
  /** By how much after is quieter than before, dB. */
  matchDb = 0;
  private sides = new Map<Side, GainNode>();
  private parts = new Map<string, { part: string; node: GainNode }>();

  /** Begin anew on the sides of another graph. */
  open(sides: Map<Side, GainNode>) {
    this.sides = sides;
    this.parts = new Map();
  }

  applySides(context: AudioContext | null, heard: Side) {
    if (!context) return;
    const now = context.currentTime;
    // The louder is turned down to the quieter.
    const trims = { before: Math.min(0, -this.matchDb), after: Math.min(0, this.matchDb) };
    for (const [side, node] of this.sides) {
      const gain = side === heard ? factor(trims[side]) : 0;
      node.gain.cancelScheduledValues(now);
      node.gain.setValueAtTime(node.gain.value, now);
      node.gain.linearRampToValueAtTime(gain, now + SIDE_FADE_S);
    }
  }

  /** The gain of one stem, made when it is first heard. */
  part(stem: Stem, context: AudioContext, solo: string | null): GainNode {
    const name = `${stem.part}/${stem.state}`;
    const known = this.parts.get(name);
    if (known) return known.node;
    const made = new GainNode(context, { gain: solo === null || stem.part === solo ? 1 : 0 });
    made.connect(this.sides.get(sideOf(stem)) as GainNode);
    this.parts.set(name, { part: stem.part, node: made });
    return made;
  }

  /** Hear one part alone, or all: at the level each has. */
  applyParts(context: AudioContext | null, solo: string | null) {
    if (!context) return;
    for (const { part, node } of this.parts.values()) {
      const gain = solo === null || part === solo ? 1 : 0;
      node.gain.setTargetAtTime(gain, context.currentTime, SIDE_FADE_S / 3);
    }
  }
}
