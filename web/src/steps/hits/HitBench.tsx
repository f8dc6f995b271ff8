import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Shown } from "../../api/client";
import { BASS, bassIsLayers, KICK, kickOf } from "../../api/parts";
import type { Hit, Layer, Part } from "../../api/types";
import { beatMs, figure } from "../../controls/figures";
import { useEditor } from "../../queries/editor";
import { hitQuery } from "../../queries/queries";
import { AddLayer } from "./AddLayer";
import { AsLoop } from "./AsLoop";
import { ClickBody } from "./ClickBody";
import { HitLength } from "./HitLength";
import { HitTabs, type Tab } from "./HitTabs";
import { Pictures } from "./Pictures";
import { PrintMenu } from "./PrintMenu";
import { FULL_STRENGTH, hitsOf, soundRole, withHit } from "./pads";
import { RumbleFigures } from "./RumbleFigures";
import { StartFrom } from "./StartFrom";
import { Zoom } from "./Zoom";

interface Props {
  one: Part;
  onHear: (id: string, strength: number, layer?: string | null, alone?: boolean) => Promise<() => void>;
  /** The bass stays, and so does the kick. */
  onRemove?: () => void;
}

/** The bench of one hit: layers on one time axis, their spectrum, and everything that shapes them. */
export function HitBench({ one, onHear, onRemove }: Props) {
  const editor = useEditor();
  const { settled: state } = editor;
  const [selected, setSelected] = useState<string | null>(null);
  const [shown, setShown] = useState<Shown | null>(null);
  const [tab, setTab] = useState<Tab>("sound");
  // A new hit is on its way to the store at first.
  const known = one.id === BASS ? bassIsLayers(state.track) : hitsOf(state.track).some((each) => each.id === one.id);
  const stored = useQuery({
    ...hitQuery(state.id, state.revision, one.id, shown),
    placeholderData: keepPreviousData,
    enabled: known,
  });
  const view = stored.data;
  const current = editor.track === state.track && !stored.isPlaceholderData;
  const layer = one.hit.layers.find((each) => each.id === selected) ?? one.hit.layers[0];

  const change = (label: string, edit: (now: Part) => Part, gesture?: string) =>
    editor.edit(label, (track) => withHit(track, one.id, edit), gesture);
  const onHit = (label: string, edit: (hit: Hit) => Hit, gesture?: string) =>
    change(label, (now) => ({ ...now, hit: edit(now.hit) }), gesture);
  const onLayers = (label: string, edit: (layers: Layer[]) => Layer[], gesture?: string) =>
    onHit(label, (hit) => ({ ...hit, layers: edit(hit.layers) }), gesture);

  return (
    <section
      className={one.id === BASS ? "of-bass" : one.id === KICK ? undefined : "of-hit"}
      aria-label={one.id === BASS ? "Layers of the bass" : `Bench of ${one.name}`}
    >
      <div className="bench-head">
        {one.id === BASS ? <h3>Layers</h3> : <h2>{one.name}</h2>}
        <span className="soft">
          {one.hit.layers.length} {one.hit.layers.length === 1 ? "layer" : "layers"}
          {view?.fold_loss_db != null ? `, ${figure(-view.fold_loss_db, "dB")} less in mono` : ""}
        </span>
        <Zoom shown={shown} onShown={setShown} />
        {one.hit.layers.length > 0 && known && <PrintMenu one={one} layer={layer} />}
        <StartFrom
          role={soundRole(one.role)}
          onChoose={(hit, name) => {
            setSelected(null);
            editor.send({ kind: "start-from", part: one.id, hit, name }, `Start from ${name}`);
          }}
        />
        <AddLayer
          hit={one.hit}
          landingHz={view?.figures?.landing_hz ?? null}
          // What is made of the kick at every kick has no notes.
          without={one.id === BASS ? ["rumble"] : []}
          onAdd={(made) => {
            setSelected(made.id);
            setTab("sound");
            editor.send({ kind: "add-layer", part: one.id, layer: made }, `Add ${made.name}`);
          }}
        />
      </div>
      {one.id === "kick" && kickOf(editor.track).loop.on && <AsLoop />}
      {view?.figures && view.id === one.id && (
        <div className="d-flex flex-wrap gap-3 mb-2">
          <HitLength
            hitId={one.id}
            name={one.name}
            lengthMs={view.figures.length_ms}
            beatMs={beatMs(editor.track.sheet.bpm)}
          />
          {view.click_db !== null && <ClickBody hitId={one.id} name={one.name} clickDb={view.click_db ?? 0} />}
        </div>
      )}
      {view?.rumble && view.id === one.id && <RumbleFigures figures={view.rumble} />}
      {stored.isError && !view && (
        <p className="clash-text">This hit could not be measured: {stored.error.message}</p>
      )}
      {view?.id === one.id ? (
        <Pictures
          one={one}
          view={view}
          known={known}
          current={current}
          layer={layer}
          shown={shown}
          sampleRate={editor.track.sheet.sample_rate}
          onShown={setShown}
          onSelect={setSelected}
          onLayers={onLayers}
          onHear={(id) => onHear(one.id, FULL_STRENGTH, id, true)}
        />
      ) : (
        !stored.isError && <p className="soft p-3">Rendering and measuring {one.name}…</p>
      )}
      <HitTabs
        tab={tab}
        onTab={setTab}
        one={one}
        track={editor.track}
        layer={layer}
        view={view?.id === one.id ? view : undefined}
        onLayer={(label, edit, gesture) =>
          onLayers(label, (layers) => layers.map((each) => (each.id === layer?.id ? edit(each) : each)), gesture)
        }
        onHit={onHit}
        onChange={change}
        {...(onRemove && { onRemove })}
        onStrike={(velocity) => void onHear(one.id, velocity)}
      />
    </section>
  );
}
