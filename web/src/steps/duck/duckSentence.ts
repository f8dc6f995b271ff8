import type { Duck, Track } from "../../api/types";
import { figure } from "../../controls/figures";
import { curvesOf, duckedOf, partName } from "./duckedParts";

/** How a part is ducked, in one line; null where it is not. */
export function duckInWords(track: Track, part: string): string | null {
  const target = duckedOf(track, part);
  if (target?.follows)
    return `follows ${partName(track, target.follows)}, ${figure(target.scale_pct, "%")} of its gain`;
  const acting = curvesOf(track, part).filter((one) => one.on);
  return acting.length ? acting.map((one) => inWords(one, track.sheet.bpm)).join("; and ") : null;
}

function inWords(one: Duck, bpm: number): string {
  if (one.drive === "compressor") {
    const { threshold_db, ratio, attack_ms, release_ms, make_up } = one.compressor;
    return `compressor at ${figure(threshold_db, "dBFS")}, ${figure(ratio, "")}:1, attack ${figure(attack_ms, "ms")}, release ${figure(release_ms, "ms")}, make-up ${make_up}`;
  }
  if (one.drawn.length > 0) {
    const deepest = Math.min(...one.drawn.map((point) => point.gain_db));
    return `drawn by ${one.drawn.length} points down to ${figure(deepest, "dB")}, back after ${figure(one.drawn.at(-1)?.at_ms, "ms")}`;
  }
  return `${figure(-one.depth_db, "dB")}, from ${figure(one.lookahead_ms, "ms")} before, fall ${figure(one.fall_ms, "ms")}, hold ${figure(one.hold_ms, "ms")}, return ${figure(one.return_ms, "ms")} (${figure((one.return_ms * bpm) / 60_000, "beat")})`;
}
