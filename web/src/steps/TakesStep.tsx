import { useQuery } from "@tanstack/react-query";
import { useContext, useState } from "react";
import type { LoadedTake } from "../api/types";
import { figure } from "../controls/figures";
import { useEditor } from "../queries/editor";
import { takesQuery } from "../queries/queries";
import { AgainContext, LoadButton } from "../takes/LoadButton";
import { wavePath } from "./hits/layers";
import { Impacts } from "./takes/Impacts";
import { useHeard } from "./takes/useHeard";
import "./takes/takes.css";

const WIDTH = 200;
const HEIGHT = 34;

/** Every sound that was ever loaded: heard, its impacts found, cut, and used again without its file. */
export function TakesStep() {
  const takes = useQuery(takesQuery());
  const [shown, setShown] = useState<string | null>(null);
  const one = takes.data?.find((take) => take.id === shown);
  return (
    <>
      <div className="bench-head">
        <h2>Takes</h2>
        <span className="soft">
          {takes.data ? `${takes.data.length} ${takes.data.length === 1 ? "sound" : "sounds"}, the newest first` : ""}
        </span>
        <span className="ms-auto">
          <LoadButton />
        </span>
      </div>
      {takes.isError && <p className="clash-text">{takes.error.message}</p>}
      {takes.data?.length === 0 && (
        <p className="soft">
          Nothing was loaded yet. Load a recording, or drop it on the page: its impacts are found here, ranked for a
          role, cut and used.
        </p>
      )}
      <ul className="takes" aria-label="Takes">
        {takes.data?.map((take) => (
          <Row
            key={take.id}
            take={take}
            shown={take.id === shown}
            onShow={() => setShown(take.id === shown ? null : take.id)}
          />
        ))}
      </ul>
      {one && <Impacts key={one.id} take={one} />}
    </>
  );
}

function Row({ take, shown, onShow }: { take: LoadedTake; shown: boolean; onShow: () => void }) {
  const again = useContext(AgainContext);
  const { track } = useEditor();
  const [heard, hear] = useHeard();
  const full = Math.max(1e-4, ...take.high.map(Math.abs), ...take.low.map(Math.abs));
  const said = [
    figure(take.duration_ms / 1000, "s"),
    take.channels > 1 ? "two sides" : null,
    take.landing_hz ? `lands ${figure(take.landing_hz, "Hz")}` : null,
  ];
  return (
    <li aria-label={take.name}>
      <svg width={WIDTH} height={HEIGHT} aria-hidden="true">
        <path d={wavePath(take.low, take.high, WIDTH, HEIGHT, full)} fill="var(--kick)" />
      </svg>
      <strong>{take.name}</strong>
      <span className="mono soft">{said.filter(Boolean).join(", ")}</span>
      {heard && <span className="clash-text small">{heard}</span>}
      <span className="ms-auto together">
        <button type="button" className="btn btn-plain" onClick={() => hear(take, null, track.sheet.sample_rate)}>
          Hear
        </button>
        <button type="button" className="btn btn-plain" aria-expanded={shown} onClick={onShow}>
          Impacts
        </button>
        <button type="button" className="btn btn-plain" onClick={() => again(take)}>
          Use it
        </button>
      </span>
    </li>
  );
}
