import { useEffect, useState } from "react";
import { BASS, KICK } from "../../api/parts";
import type { Part } from "../../api/types";
import { usePlayer } from "../../audio/usePlayer";
import { figure } from "../../controls/figures";
import { padLabel } from "./pads";
import "./pads.css";

interface Props {
  /** Every part, in order. */
  parts: Part[];
  /** The part on the bench, none while the buses are shown. */
  shown: string | null;
  buses: boolean;
  onBuses: () => void;
  onShow: (id: string) => void;
  onPlay: (hit: Part) => void;
  children: React.ReactNode;
}

/** Every hit of the kit as a pad with its key; a press plays it and puts it on the bench. */
export function Pads({ parts, shown, buses, onBuses, onShow, onPlay, children }: Props) {
  const struck = parts.filter((one) => one.id !== BASS);
  return (
    <div className="pads" role="toolbar" aria-label="Kit">
      {parts.map((one) => (
        <button
          type="button"
          key={one.id}
          className={`pad ${one.id === KICK ? "kick" : one.id === BASS || one.role === "sub" ? "bass" : ""}`}
          aria-pressed={shown === one.id}
          onPointerDown={(event) => one.id !== BASS && event.button === 0 && onPlay(one)}
          onClick={() => onShow(one.id)}
        >
          {one.id !== BASS && <kbd>{padLabel(struck.indexOf(one))}</kbd>} {one.name}
        </button>
      ))}
      <button type="button" className="pad" aria-pressed={buses} onClick={onBuses}>
        Buses
      </button>
      {children}
      <Latency />
    </div>
  );
}

/** How long a key takes to its sound, as far as this computer tells. */
function Latency() {
  const [player] = usePlayer();
  const [ms, setMs] = useState<number | null>(null);
  useEffect(() => {
    const look = () => setMs(player.latencyMs());
    look();
    const timer = setInterval(look, 1000);
    return () => clearInterval(timer);
  }, [player]);
  if (ms === null) return null;
  return (
    <span
      className="soft small latency"
      title="From a key to its sound. Buffer and output as the browser reports them, and the limiter's 2 ms"
    >
      from key to sound <span className="mono">{figure(Math.round(ms), "ms")}</span>
    </span>
  );
}
