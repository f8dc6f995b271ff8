import { type KeyboardEvent, type PointerEvent, useEffect, useRef } from "react";
import type { HitPicture, Layer, LayerPicture } from "../../api/types";
import { figure } from "../../controls/figures";
import { useWidth } from "../../plots/useWidth";
import { newGesture } from "../../queries/gesture";
import { TimeGrid, WaveShape } from "./Shape";
import { onSample } from "./zoom";

interface Props {
  picture: LayerPicture | undefined;
  hit: HitPicture;
  name: string;
  layer?: Layer;
  sampleRate: number;
  onHear: () => Promise<() => void>;
  onZoom: (event: React.WheelEvent, share: number) => void;
  onPan?: (ms: number) => void;
  onMove?: (offsetMs: number, gesture: string) => void;
}

const MOVES_FROM_PX = 4;
const NUDGE_MS = 1;

interface Held {
  x: number;
  offsetMs: number;
  startMs: number;
  gesture: string;
  moved: boolean;
  end: Promise<() => void>;
}

/** One waveform: held it sounds alone, dragged it moves in time; arrow keys move by 1 ms, with Shift by one sample. */
export function LayerWave({ picture, hit, name, layer, sampleRate, ...on }: Props) {
  const [follow, width] = useWidth(360);
  const held = useRef<Held | null>(null);
  const height = layer ? 44 : 60;
  const full = Math.max(...hit.sum.high, ...hit.sum.low.map((value) => -value), 1e-4);
  const own = picture ? Math.max(...picture.high, ...picture.low.map((value) => -value), 1e-4) : 1;
  const release = () => {
    void held.current?.end.then((end) => end());
    held.current = null;
  };
  useEffect(
    () => () => {
      void held.current?.end.then((end) => end());
    },
    [],
  );

  const down = (event: PointerEvent<HTMLButtonElement>) => {
    if (event.button !== 0) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    held.current = {
      x: event.clientX,
      offsetMs: layer?.offset_ms ?? 0,
      startMs: hit.start_ms,
      gesture: newGesture(),
      moved: false,
      end: on.onHear(),
    };
  };
  const move = (event: PointerEvent<HTMLButtonElement>) => {
    const now = held.current;
    if (!now || !(event.buttons & 1)) return;
    const px = event.clientX - now.x;
    if (!now.moved && Math.abs(px) < MOVES_FROM_PX) return;
    now.moved = true;
    const ms = (px / width) * hit.span_ms;
    if (layer) on.onMove?.(onSample(now.offsetMs + ms, sampleRate), now.gesture);
    else on.onPan?.(ms - (now.startMs - hit.start_ms));
  };
  const key = (event: KeyboardEvent) => {
    if (event.key === "Enter") {
      event.preventDefault();
      void on.onHear();
      return;
    }
    const way = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (!way || !layer || !on.onMove) return;
    event.preventDefault();
    const by = event.shiftKey ? 1000 / sampleRate : NUDGE_MS;
    on.onMove(onSample(layer.offset_ms + way * by, sampleRate), `nudge-${layer.id}`);
  };
  return (
    <div ref={follow} style={{ minWidth: 0, position: "relative" }}>
      <button
        type="button"
        className="wave"
        title={
          layer
            ? "Hold to hear it alone, drag to move it in time"
            : "Press to hear it; Ctrl and wheel zoom, drag moves along"
        }
        style={{ touchAction: "none", cursor: layer ? "grab" : "pointer" }}
        aria-label={`Waveform of ${name}, peak ${figure(picture?.peak_db, "dBFS")}, ${figure(hit.span_ms, "ms")} shown`}
        onPointerDown={down}
        onPointerMove={move}
        onPointerUp={release}
        onPointerCancel={release}
        onKeyDown={key}
        onWheel={(event) => {
          const rect = event.currentTarget.getBoundingClientRect();
          on.onZoom(event, (event.clientX - rect.left) / rect.width);
        }}
      >
        <svg width={width} height={height} aria-hidden="true">
          <TimeGrid startMs={hit.start_ms} spanMs={hit.span_ms} width={width} height={height} labelled={false} />
          {picture && (
            <WaveShape
              picture={picture}
              width={width}
              height={height}
              full={layer ? Math.max(own, full / 4) : full}
              muted={layer?.muted ?? false}
            />
          )}
        </svg>
      </button>
      {layer === undefined && (
        <svg className="wave-labels" width={width} height={12} aria-hidden="true">
          <TimeGrid startMs={hit.start_ms} spanMs={hit.span_ms} width={width} height={12} labelled />
        </svg>
      )}
    </div>
  );
}
