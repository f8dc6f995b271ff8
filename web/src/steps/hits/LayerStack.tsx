import type { WheelEvent } from "react";
import type { Shown } from "../../api/client";
import type { HitPicture, HitView, Layer, Part } from "../../api/types";
import { figure, pretty } from "../../controls/figures";
import { LayerRow } from "./LayerRow";
import { ENGINES } from "./layers";
import { zoomed } from "./zoom";

interface Props {
  one: Part;
  view: HitView | undefined;
  picture: HitPicture;
  shown: Shown | null;
  selected: string | undefined;
  sampleRate: number;
  onShown: (shown: Shown | null) => void;
  onSelect: (layer: string) => void;
  onLayers: (label: string, change: (layers: Layer[]) => Layer[], gesture?: string) => void;
  onHear: (layer: string | null) => Promise<() => void>;
}

/** Layers under each other on one time axis, the sum above; zoomed from the whole hit to 2 ms. */
export function LayerStack({ one, view, picture, shown, selected, sampleRate, ...on }: Props) {
  const { layers } = one.hit;
  const figures = view?.figures;
  const scroll = (event: WheelEvent, share: number) => {
    if (event.ctrlKey || event.metaKey) on.onShown(zoomed(picture, share, event.deltaY > 0 ? 1.25 : 0.8));
  };
  const change = (id: string) => (label: string, edit: (layer: Layer) => Layer, gesture?: string) =>
    on.onLayers(label, (all) => all.map((other) => (other.id === id ? edit(other) : other)), gesture);
  return (
    <div className="layers" role="list" aria-label="Layers">
      <LayerRow
        picture={picture.sum}
        hit={picture}
        name="Sum"
        kind={view?.landing_note ? `lands ${pretty(view.landing_note)}` : "no pitch"}
        figures={[
          figures?.true_peak_db != null ? figure(figures.true_peak_db, "dBTP") : "–",
          figures?.length_ms ? figure(figures.length_ms, "ms") : "–",
        ]}
        sampleRate={sampleRate}
        onHear={() => on.onHear(null)}
        onZoom={scroll}
        {...(shown ? { onPan: (ms: number) => on.onShown({ ...shown, from_ms: picture.start_ms - ms }) } : {})}
      />
      {layers.map((layer, index) => (
        <LayerRow
          key={layer.id}
          picture={picture.layers.find((drawn) => drawn.id === layer.id)}
          hit={picture}
          name={layer.name}
          kind={ENGINES.find((engine) => engine.id === layer.source.engine)?.kind ?? ""}
          figures={[figure(layer.gain_db, "dB"), figure(layer.offset_ms, "ms", { sign: true })]}
          layer={layer}
          selected={layer.id === selected}
          sampleRate={sampleRate}
          onHear={() => on.onHear(layer.id)}
          onZoom={scroll}
          onSelect={() => on.onSelect(layer.id)}
          onChange={change(layer.id)}
          onMove={(by) =>
            on.onLayers("Reorder layers", (all) => {
              const moved = [...all];
              const [taken] = moved.splice(index, 1);
              if (taken) moved.splice(Math.max(0, index + by), 0, taken);
              return moved;
            })
          }
          onRemove={() => on.onLayers(`Remove ${layer.name}`, (all) => all.filter((other) => other.id !== layer.id))}
        />
      ))}
    </div>
  );
}
