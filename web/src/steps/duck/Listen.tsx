import { useEffect } from "react";
import { usePlayer } from "../../audio/usePlayer";
import { stemOf } from "./parts";

/** A part alone, and without its duck: heard in the loop from the next beat on, as long as this step is open. */
export function Listen({ part, name }: { part: string; name: string }) {
  const [player, view] = usePlayer();
  const stem = stemOf(part);
  useEffect(() => {
    return () => {
      if (player.view.solo === stem) player.setSolo(null);
      if (player.view.free === stem) player.setFree(null);
    };
  }, [player, stem]);
  return (
    <>
      <button
        type="button"
        className="btn btn-plain"
        aria-pressed={view.solo === stem}
        aria-label={`${name} alone`}
        onClick={() => player.setSolo(view.solo === stem ? null : stem)}
      >
        Alone
      </button>
      <button
        type="button"
        className="btn btn-plain"
        aria-pressed={view.free === stem}
        aria-label={`${name} without its duck`}
        onClick={() => player.setFree(view.free === stem ? null : stem)}
      >
        Without duck
      </button>
    </>
  );
}
