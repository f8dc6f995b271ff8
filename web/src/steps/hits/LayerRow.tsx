import type { WheelEvent } from "react";
import type { HitPicture, Layer, LayerPicture } from "../../api/types";
import { figure } from "../../controls/figures";
import { LayerWave } from "./LayerWave";
import { BandShape } from "./Shape";

interface Props {
  picture: LayerPicture | undefined;
  hit: HitPicture;
  name: string;
  kind: string;
  figures: [string, string];
  layer?: Layer;
  selected?: boolean;
  sampleRate: number;
  onHear: () => Promise<() => void>;
  onZoom: (event: WheelEvent, share: number) => void;
  onPan?: (ms: number) => void;
  onSelect?: () => void;
  onChange?: (label: string, change: (layer: Layer) => Layer, gesture?: string) => void;
  onMove?: (by: -1 | 1) => void;
  onRemove?: () => void;
}

const BARS_WIDTH = 112;

/** One layer, or the sum: waveform, span of frequencies, the job it does as measured, level and offset. */
export function LayerRow({ picture, hit, name, kind, figures, layer, selected, sampleRate, ...on }: Props) {
  const height = layer ? 44 : 60;
  return (
    <div className={`layer ${selected ? "selected" : ""}`} role="listitem" aria-label={name}>
      {layer ? (
        <button type="button" className="who" onClick={on.onSelect} aria-pressed={selected}>
          <strong>{name}</strong>
          <span className="soft small">{kind}</span>
        </button>
      ) : (
        <div className="who">
          <strong>{name}</strong>
          <span className="soft small">{kind}</span>
        </div>
      )}
      <LayerWave
        picture={picture}
        hit={hit}
        name={name}
        sampleRate={sampleRate}
        onHear={on.onHear}
        onZoom={on.onZoom}
        {...(layer ? { layer } : {})}
        {...(on.onPan ? { onPan: on.onPan } : {})}
        onMove={(offset_ms, gesture) => on.onChange?.(`${name}: start`, (one) => ({ ...one, offset_ms }), gesture)}
      />
      {picture ? (
        <BandShape
          picture={picture}
          width={BARS_WIDTH}
          height={height}
          label={`Frequencies of ${name}: ${strongest(picture, hit)}`}
        />
      ) : (
        <span />
      )}
      <span className="small fw-bold">{picture?.job ?? "…"}</span>
      <span className="mono right small">
        <span className="soft">{layer ? "level" : "peak"}</span> {figures[0]}
        <br />
        <span className="soft">{layer ? "start" : "length"}</span> {figures[1]}
      </span>
      {layer ? (
        <span className="tools">
          <button
            type="button"
            aria-pressed={layer.solo}
            aria-label={`Solo ${name}`}
            title="Solo"
            onClick={() => on.onChange?.(`Solo ${name}`, (one) => ({ ...one, solo: !one.solo }))}
          >
            solo
          </button>
          <button
            type="button"
            aria-pressed={layer.muted}
            aria-label={`Mute ${name}`}
            title="Mute"
            onClick={() => on.onChange?.(`Mute ${name}`, (one) => ({ ...one, muted: !one.muted }))}
          >
            mute
          </button>
          <button type="button" aria-label={`Move ${name} up`} title="Move up" onClick={() => on.onMove?.(-1)}>
            ↑
          </button>
          <button type="button" aria-label={`Move ${name} down`} title="Move down" onClick={() => on.onMove?.(1)}>
            ↓
          </button>
          <button
            type="button"
            aria-label={`Remove ${name}`}
            title="Remove; undo brings it back"
            onClick={on.onRemove}
          >
            ✕
          </button>
        </span>
      ) : (
        <span />
      )}
    </div>
  );
}

function strongest(picture: LayerPicture, hit: HitPicture): string {
  const inside = picture.bands_db.map((db, i) => (db > -12 ? hit.centres_hz[i] : null)).filter((hz) => hz != null);
  if (inside.length === 0) return "none";
  return `strongest from ${figure(inside[0], "Hz")} to ${figure(inside.at(-1), "Hz")}`;
}
