import type { KeyboardEvent } from "react";
import { BASS } from "../../api/parts";
import type { Hit, HitView, Layer, Part, Track } from "../../api/types";
import { useEditor } from "../../queries/editor";
import { Bus } from "./Bus";
import { Chain } from "./Chain";
import { InTheLoop } from "./InTheLoop";
import { InTheSum } from "./InTheSum";
import { Lacking } from "./Lacking";
import { LayerControls } from "./LayerControls";
import { LayerFit } from "./LayerFit";
import { stageMoved } from "./layers";
import { OwnRangeMark, ownRange } from "./OwnRangeMark";
import { Reinforce } from "./Reinforce";
import { Strength } from "./Strength";
import { Variations } from "./Variations";
import "../../bench/tabs.css";

export type Tab = "sound" | "chain" | "place" | "fit" | "roll" | "bus" | "strength" | "loop";

interface Props {
  tab: Tab;
  onTab: (tab: Tab) => void;
  one: Part;
  track: Track;
  layer: Layer | undefined;
  view: HitView | undefined;
  onLayer: (label: string, change: (layer: Layer) => Layer, gesture?: string) => void;
  onHit: (label: string, change: (hit: Hit) => Hit, gesture?: string) => void;
  onChange: (label: string, change: (hit: Part) => Part, gesture?: string) => void;
  onRemove?: () => void;
  onStrike: (velocity: number) => void;
}

const OF_LAYER: [Tab, string][] = [
  ["sound", "Sound"],
  ["chain", "Chain"],
  ["place", "In the sum"],
];
const OF_HIT: [Tab, string][] = [
  ["fit", "Fit"],
  ["roll", "Variations"],
  ["bus", "Bus"],
  ["strength", "Strength"],
  ["loop", "In the loop"],
];

/** What shapes the selected layer, and what shapes the whole hit, one at a time. */
export function HitTabs({ tab, onTab, one, track, layer, view, ...on }: Props) {
  const { state } = useEditor();
  // Behind the layers of the bass is the chain of its line, and its place in the loop: both stand under them.
  const ofHit = OF_HIT.filter(([id]) => one.id !== BASS || id === "fit" || id === "roll");
  const inOrder = [...OF_LAYER, ...ofHit].map(([id]) => id);
  const arrows = (event: KeyboardEvent<HTMLElement>) => {
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    const next = by && inOrder[inOrder.indexOf(tab) + by];
    if (!next) return;
    event.preventDefault();
    onTab(next);
    event.currentTarget.querySelector<HTMLElement>(`[data-tab="${next}"]`)?.focus();
  };
  const tabButton = ([id, title]: [Tab, string]) => (
    <button
      type="button"
      key={id}
      role="tab"
      id={`tab-${id}`}
      data-tab={id}
      aria-selected={tab === id}
      aria-controls="tab-panel"
      tabIndex={tab === id ? 0 : -1}
      onClick={() => onTab(id)}
    >
      {title}
    </button>
  );
  return (
    <>
      <div className="tabs" role="tablist" aria-label="What to shape" onKeyDown={arrows}>
        <span className="soft">{layer ? layer.name : "Layer"}</span>
        {OF_LAYER.map(tabButton)}
        <span className="soft">Whole {one.name.toLowerCase()}</span>
        {ofHit.map(tabButton)}
      </div>
      <div role="tabpanel" id="tab-panel" aria-labelledby={`tab-${tab}`}>
        {!layer && OF_LAYER.some(([id]) => id === tab) && (
          <p className="soft p-3">No layers yet: start from a sound above, or add a layer.</p>
        )}
        {layer && tab === "sound" && (
          <LayerControls one={one} hit={one.hit} layer={layer} onChange={on.onLayer} onHit={on.onHit} />
        )}
        {layer && tab === "chain" && (
          <Chain
            name={layer.name}
            part={one.id}
            layer={layer.id}
            chain={layer.chain}
            changes={view?.layer_changes[layer.id] ?? []}
            onChange={(label, change, gesture) =>
              on.onLayer(label, (now) => ({ ...now, chain: change(now.chain) }), gesture)
            }
            ranged={{
              own: (stage, parameter) => ownRange(one.hit, { layerId: layer.id, stage, parameter }),
              mark: (stage, model, parameter) => (
                <span className={`marks ${ownRange(one.hit, { layerId: layer.id, stage, parameter }) ? "set" : ""}`}>
                  <OwnRangeMark
                    hit={one.hit}
                    of={{ layerId: layer.id, stage, parameter }}
                    model={model}
                    onHit={on.onHit}
                  />
                </span>
              ),
              moved: (label, from, to) => on.onHit(label, (now) => stageMoved(now, layer.id, from, to)),
            }}
          />
        )}
        {layer && tab === "place" && (
          <InTheSum trackId={state.id} one={one} layer={layer} onChange={on.onLayer} onHit={on.onHit} />
        )}
        {tab === "fit" && one.id !== BASS && one.hit.layers.length > 0 && (
          <>
            <Reinforce key={`under ${one.id}`} one={one} />
            <Lacking key={`lacks ${one.id}`} one={one} />
          </>
        )}
        {tab === "fit" &&
          (view?.picture.fit ? (
            <LayerFit fit={view.picture.fit} hitId={one.id} />
          ) : (
            <p className="soft p-3">
              Two layers that sound in the low band are needed before anything can be fitted.
            </p>
          ))}
        {tab === "roll" && <Variations key={one.id} one={one} onHit={on.onHit} />}
        {tab === "bus" && <Bus part={one.id} hit={one.hit} view={view} onHit={on.onHit} />}
        {tab === "strength" && <Strength one={one} onHit={on.onHit} onStrike={on.onStrike} />}
        {tab === "loop" && (
          <InTheLoop one={one} track={track} onChange={on.onChange} {...(on.onRemove && { onRemove: on.onRemove })} />
        )}
      </div>
    </>
  );
}
