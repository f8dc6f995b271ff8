import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { ButtonGroup } from "react-bootstrap";
import { type Comparison, placeOf } from "../audio/comparison";
import { usePlayer } from "../audio/usePlayer";
import { figure } from "../controls/figures";
import { useEditor } from "../queries/editor";
import { bypassQuery } from "../queries/queries";
import { useNotices } from "./notices";

const EQUAL_DB = 0.05;

/** What is by-passed, which side is heard, and by how much the louder is turned down; it follows every edit. */
export function Compared() {
  const [player, { leftOut, without }] = usePlayer();
  const { settled, track } = useEditor();
  const { say } = useNotices();
  const found = useQuery({
    ...bypassQuery(settled.id, settled.revision, leftOut ?? { part: "kick", layer: null, stage: null }),
    enabled: leftOut !== null,
  });
  const { data, error } = found;
  useEffect(() => {
    if (leftOut && data) player.compare({ ...data, of: leftOut, revision: settled.revision });
  }, [player, leftOut, data, settled.revision]);

  // A stage is known by its number: where another may stand there now, the comparison ends.
  const place = leftOut ? placeOf(track, leftOut) : "";
  const began = useRef({ leftOut, place });
  useEffect(() => {
    if (began.current.leftOut !== leftOut) began.current = { leftOut, place };
    const gone = leftOut && (began.current.place !== place || error);
    if (!gone) return;
    say({ text: `By-passing ${leftOut.name} has ended: ${error ? error.message : "its chain has changed"}.` });
    player.leaveOut(null);
  }, [player, leftOut, place, error, say]);

  if (!leftOut) return null;
  return (
    <div className="band-heard" role="group" aria-label={`Compared: ${leftOut.name}`}>
      <strong className="text-truncate">{leftOut.name}</strong>
      <ButtonGroup size="sm" className="sides">
        {[false, true].map((side) => (
          <button
            key={String(side)}
            type="button"
            className={`btn btn-outline-dark ${without === side ? "active" : ""}`}
            aria-pressed={without === side}
            title="Key W"
            onClick={() => player.setWithout(side)}
          >
            {side ? "Without" : "With"}
          </button>
        ))}
      </ButtonGroup>
      <span role="status">{data ? <Said found={data} /> : "Measuring both…"}</span>
      <button type="button" className="btn btn-plain" onClick={() => player.leaveOut(null)}>
        End
      </button>
    </div>
  );
}

function Said({ found }: { found: Omit<Comparison, "of" | "revision"> }) {
  if (found.idle) return <>it changes nothing</>;
  if (!found.matched) return <>one side is silent: as they are</>;
  const down = -Math.min(found.with_db, found.without_db);
  if (down < EQUAL_DB) return <>both equally loud as they are</>;
  return (
    <>
      {found.with_db < found.without_db ? "with" : "without"} turned down{" "}
      <span className="mono">{figure(down, "dB")}</span>
    </>
  );
}
