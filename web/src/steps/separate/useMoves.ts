import type { Carve, Move } from "../../api/types";
import { useEditor } from "../../queries/editor";

const MOST_MOVES = 3;
const NEW_MOVE: Move = { shape: "bell", frequency_hz: 60, gain_db: -3, q: 0.9, slope_db: 12 };

/** The moves of one part's carve and what may be done to them; besides: the kick's, where zones carve both parts. */
export function useMoves(besides: boolean) {
  const editor = useEditor();
  const field = besides ? "kick_moves" : "moves";
  const moves = editor.track.carve[field];
  const named = (label: string) => (besides ? `${label} on the kick` : label);
  const setCarve = (label: string, change: (now: Carve) => Carve, gesture?: string) =>
    editor.edit(label, (track) => ({ ...track, carve: change(track.carve) }), gesture);
  const setMoves = (label: string, change: (now: Move[]) => Move[], gesture?: string) =>
    setCarve(named(label), (now) => ({ ...now, [field]: change(now[field]) }), gesture);
  return {
    moves,
    named,
    setCarve,
    setMove: (index: number, change: Partial<Move>, gesture?: string) =>
      setMoves(
        `Carve move ${index + 1}`,
        (now) => now.map((move, i) => (i === index ? { ...move, ...change } : move)),
        gesture,
      ),
    /** Null where there are as many as there may be. */
    add:
      moves.length >= MOST_MOVES
        ? null
        : () => setCarve(named("Add a move"), (now) => ({ ...now, on: true, [field]: [...now[field], NEW_MOVE] })),
    remove: (index: number) => setMoves("Remove a move", (now) => now.filter((_, i) => i !== index)),
  };
}
