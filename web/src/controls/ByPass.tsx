import { type LeftOut, sameLeftOut } from "../audio/comparison";
import { usePlayer } from "../audio/usePlayer";

/** Compare the loop with what it is without one thing, both equally loud. */
export function ByPass({ of }: { of: LeftOut }) {
  const [player, { leftOut }] = usePlayer();
  const on = sameLeftOut(leftOut, of);
  return (
    <button
      type="button"
      className="btn btn-plain text-nowrap"
      aria-pressed={on}
      aria-label={`By-pass ${of.name}`}
      title="Hear the loop without it, at matched loudness; nothing is changed"
      onClick={() => player.leaveOut(on ? null : of)}
    >
      By-pass
    </button>
  );
}
