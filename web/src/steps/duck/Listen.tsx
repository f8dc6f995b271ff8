import { useEffect } from "react";
import { usePlayer } from "../../audio/usePlayer";

/** A part alone, and without its duck: heard in the loop from the next beat on, as long as this step is open. */
export function Listen({ part, name }: { part: string; name: string }) {
  const [player, view] = usePlayer();
  useEffect(() => {
    return () => {
      if (player.view.solo === part) player.setSolo(null);
      if (player.view.free === part) player.setFree(null);
    };
  }, [player, part]);
  return (
    <>
      <button
        type="button"
        className="btn btn-plain"
        aria-pressed={view.solo === part}
        aria-label={`${name} alone`}
        onClick={() => player.setSolo(view.solo === part ? null : part)}
      >
        Alone
      </button>
      <button
        type="button"
        className="btn btn-plain"
        aria-pressed={view.free === part}
        aria-label={`Without duck: ${name}`}
        onClick={() => player.setFree(view.free === part ? null : part)}
      >
        Without duck
      </button>
    </>
  );
}
