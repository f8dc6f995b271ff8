import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useSearchParams } from "react-router";
import type { View, Way } from "../api/types";
import { BenchTabs } from "../bench/BenchTabs";
import { panelled } from "../bench/benches";
import { Ladder } from "../plots/Ladder";
import { useEditor } from "../queries/editor";
import { ladderQuery, lineQuery } from "../queries/queries";
import { LoadButton } from "../takes/LoadButton";
import { AgainstBass } from "./tune/AgainstBass";
import { CouldLand } from "./tune/CouldLand";
import { NoteMap } from "./tune/NoteMap";
import { TunedHit } from "./tune/TunedHit";
import "./tune/tune.css";

/** Every hit on the ladder of the key, and for the chosen one where it could go and what that costs. */
export function TuneStep({ view }: { view: View }) {
  const editor = useEditor();
  const { state, settled } = editor;
  const [asked, setAsked] = useSearchParams();
  const [way, setWay] = useState<Way>("as set");
  const ladder = useQuery({ ...ladderQuery(settled.id, settled.revision), placeholderData: keepPreviousData });
  const wanted = asked.get("hit") ?? "kick";
  const hits = ladder.data?.hits ?? [];
  const shown = hits.find((one) => one.id === wanted) ?? hits[0];
  const show = (id: string) =>
    setAsked(
      (now) => {
        now.set("hit", id);
        return now;
      },
      { replace: true },
    );
  const off = hits.filter((one) => ladder.data?.to_tune.includes(one.id));
  // Nothing is said to be in tune before it was measured.
  const measuring = !ladder.data || ladder.isPlaceholderData || settled !== state;
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
          disabled={editor.busy !== null || off.length === 0 || measuring}
          aria-busy={measuring}
          title="Brings every pitched hit to its nearest note of the key, as one step"
          onClick={() => editor.send({ kind: "tune-all" }, "Tune every hit")}
        >
          {!ladder.data
            ? "Measuring…"
            : off.length === 0
              ? "All in tune"
              : `Tune ${off.length === 1 ? off[0]?.name : `all ${off.length}`}`}
        </button>
        <LoadButton />
      </div>
      {ladder.isError && <p className="clash-text">The hits could not be measured: {ladder.error.message}</p>}
      {!ladder.data && !ladder.isError && <p className="soft">Rendering and measuring every hit…</p>}
      <BenchTabs
        step="tune"
        findings={view.report.findings}
        tabs={panelled("tune", {
          targets: ladder.data && shown && (
            <div className="side-by-side even">
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
              <CouldLand
                key={shown.id}
                hit={shown}
                way={way}
                onWay={setWay}
                fresh={!ladder.isPlaceholderData && settled === state}
              />
            </div>
          ),
          pitch: ladder.data && shown && (
            <>
              <div className="d-flex gap-2 flex-wrap mb-2" role="group" aria-label="Hit">
                {hits.map((one) => (
                  <button
                    type="button"
                    key={one.id}
                    className="btn btn-plain"
                    aria-pressed={one.id === shown.id}
                    onClick={() => show(one.id)}
                  >
                    {one.name}
                  </button>
                ))}
              </div>
              <TunedHit key={shown.id} hit={shown} ladder={ladder.data} />
            </>
          ),
          against: line.data && <AgainstBass line={line.data} fresh={lineFresh} />,
          notes: line.data && <NoteMap line={line.data} fresh={lineFresh} />,
        })}
      />
      {line.isError && <p className="clash-text">The line could not be measured: {line.error.message}</p>}
    </>
  );
}
