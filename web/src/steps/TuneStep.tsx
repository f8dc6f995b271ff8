import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useSearchParams } from "react-router";
import type { Way } from "../api/types";
import { Ladder } from "../plots/Ladder";
import { useEditor } from "../queries/editor";
import { ladderQuery, lineQuery } from "../queries/queries";
import { LoadButton } from "../takes/LoadButton";
import { AgainstBass } from "./tune/AgainstBass";
import { NoteMap } from "./tune/NoteMap";
import { TunedHit } from "./tune/TunedHit";
import "./tune/tune.css";

/** Every hit on the ladder of the key, and for the chosen one where it could go and what that costs. */
export function TuneStep() {
  const editor = useEditor();
  const { state, settled } = editor;
  const [asked, setAsked] = useSearchParams();
  const [way, setWay] = useState<Way>("as set");
  const ladder = useQuery({ ...ladderQuery(settled.id, settled.revision), placeholderData: keepPreviousData });
  const wanted = asked.get("hit") ?? "kick";
  const hits = ladder.data?.hits ?? [];
  const shown = hits.find((one) => one.id === wanted) ?? hits[0];
  const show = (id: string) => setAsked({ hit: id }, { replace: true });
  const off = hits.filter((one) => ladder.data?.to_tune.includes(one.id));
  const line = useQuery({ ...lineQuery(settled.id, settled.revision), placeholderData: keepPreviousData });
  const lineFresh = !line.isPlaceholderData && settled === state;
  return (
    <>
      <div className="bench-head">
        <h2>Tune</h2>
        <span className="soft">Measured on the rendered hits; drag a mark onto a note of the key</span>
        <button
          type="button"
          className="btn btn-strong ms-auto"
          disabled={editor.busy !== null || off.length === 0}
          title="Brings every pitched hit to its nearest note of the key, as one step"
          onClick={() => editor.send({ kind: "tune-all" }, "Tune every hit")}
        >
          {off.length === 0 ? "All in tune" : `Tune ${off.length === 1 ? off[0]?.name : `all ${off.length}`}`}
        </button>
        <LoadButton />
      </div>
      {ladder.isError && <p className="clash-text">The hits could not be measured: {ladder.error.message}</p>}
      {!ladder.data && !ladder.isError && <p className="soft">Rendering and measuring every hit…</p>}
      {ladder.data && shown && (
        <>
          <Ladder
            ladder={ladder.data}
            selected={shown.id}
            onSelect={show}
            onMove={(hit, frequency_hz, note) =>
              editor.send(
                { kind: "tune", moves: [{ hit_id: hit.id, frequency_hz, way }] },
                `Land ${hit.name} on ${note}`,
              )
            }
          />
          <TunedHit
            key={shown.id}
            hit={shown}
            ladder={ladder.data}
            way={way}
            onWay={setWay}
            fresh={!ladder.isPlaceholderData && settled === state}
          />
        </>
      )}
      {line.isError && <p className="clash-text">The line could not be measured: {line.error.message}</p>}
      {line.data && (
        <>
          <AgainstBass line={line.data} fresh={lineFresh} />
          <NoteMap line={line.data} fresh={lineFresh} />
        </>
      )}
    </>
  );
}
