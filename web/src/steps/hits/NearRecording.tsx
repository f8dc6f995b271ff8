import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../api/client";
import type { Hit, Layer, NearTo, Part } from "../../api/types";
import { usePlayer } from "../../audio/usePlayer";
import { figure } from "../../controls/figures";
import { useEditor } from "../../queries/editor";
import { nearQuery } from "../../queries/queries";
import { placeKey } from "./pads";

interface Asked {
  revision: number;
  of: string;
}

/** What was asked for goes on, and is found again, whatever is looked at meanwhile. */
const askedFor = new Map<string, Asked>();

/** The sound of the engines that comes nearest to a recorded layer: searched for, measured, heard beside it, taken. */
export function NearRecording({ one, layer }: { one: Part; layer: Layer }) {
  const editor = useEditor();
  const [player] = usePlayer();
  const { state } = editor;
  // What was searched for: another cut or pitch of the sound is another one.
  const now = JSON.stringify([layer.source, layer.tune_cents, layer.low_cut_hz, layer.high_cut_hz]);
  const place = `${state.id} ${one.id} ${layer.id}`;
  const [, redraw] = useState(0);
  const asked = askedFor.get(place);
  const searched = asked?.of === now;
  const near = useQuery({
    ...nearQuery(state.id, asked?.revision ?? 0, one.id, layer.id),
    enabled: searched,
    retry: false,
  });
  const [trouble, setTrouble] = useState<string | null>(null);
  const hear = (hit: Hit) =>
    void player
      .strike(
        `near ${one.id} ${placeKey(state.track, one)} ${JSON.stringify(hit)}`,
        () => api.sound(state.id, one.id, hit),
        false,
      )
      .catch((error) => setTrouble(String(error.message ?? error)));
  const others = one.hit.layers.length - 1;
  const stored = editor.track === state.track && editor.stored;
  return (
    <section className="panel mt-2" aria-label={`Near to ${layer.name}`}>
      <div className="bench-head">
        <button
          type="button"
          className="btn btn-plain"
          disabled={!stored || (searched && near.isFetching)}
          onClick={() => {
            setTrouble(null);
            if (searched && near.isError) void near.refetch();
            else askedFor.set(place, { revision: state.revision, of: now });
            redraw((drawn) => drawn + 1);
          }}
        >
          Rebuild it from engines
        </button>
        <span className="soft small" role="status">
          {searched && near.isFetching
            ? "Every start is held against it, then its rulers are moved: ten seconds to a minute; go on meanwhile."
            : "The start and rulers that come nearest to this recording, with every ruler free afterwards."}
        </span>
        {searched && near.isError && <span className="clash-text small">{near.error.message}</span>}
        {trouble && <span className="clash-text small">{trouble}</span>}
      </div>
      {searched && near.data && (
        <>
          <section className="figures my-2" aria-label="How far it stays away">
            {distance(near.data.found).map(([value, label]) => (
              <div key={label}>
                <span className="mono">{value}</span>
                <span className="soft">{label}</span>
              </div>
            ))}
          </section>
          <div className="bench-head">
            <button type="button" className="btn btn-plain" onClick={() => hear(near.data.recorded_heard)}>
              Hear the recording
            </button>
            <button type="button" className="btn btn-plain" onClick={() => hear(near.data.rebuilt_heard)}>
              Hear it rebuilt
            </button>
            <button
              type="button"
              className="btn btn-strong"
              disabled={editor.busy !== null}
              onClick={() =>
                editor.send(
                  {
                    kind: "start-from",
                    part: one.id,
                    hit: near.data.found.hit,
                    name: `near to ${layer.name}`.slice(0, 60),
                  },
                  "Rebuilt",
                )
              }
            >
              Put it in its place
            </button>
            <span className="soft small">
              {others > 0
                ? `The whole hit: its ${others === 1 ? "other layer goes" : `${others} other layers go`} with the recording.`
                : "At the level the hit has in the loop."}{" "}
              Undo brings it back.
            </span>
          </div>
        </>
      )}
    </section>
  );
}

/** How far it stays away, in every figure that was measured. */
function distance(near: NearTo): [string, string][] {
  const pitch: [string, string][] =
    near.cents === null
      ? [["–", "no pitch to compare"]]
      : [
          [figure(near.cents, "cents", { sign: true }), "where it settles"],
          [figure(near.path_cents, "cents"), "how its pitch moves"],
        ];
  return [
    [near.start, `made from it: ${figure(near.was_db, "dB")} away before`],
    [figure(near.bands_db, "dB"), "third octaves, all"],
    [figure(near.worst_db, "dB", { sign: true }), `the worst, at ${figure(near.worst_hz, "Hz")}`],
    ...pitch,
    [figure(near.length_ms, "ms"), `to fall by 60 dB; recorded ${figure(near.recorded_ms, "ms")}`],
    [figure(near.falls_db, "dB"), "how its zones fall"],
  ];
}
