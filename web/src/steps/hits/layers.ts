import type { Hit, Layer } from "../../api/types";

export type EngineId = Layer["source"]["engine"];

export const ENGINES: { id: EngineId; model: string; name: string; kind: string; help: string }[] = [
  { id: "sweep", model: "Sweep", name: "Body", kind: "sweep", help: "One tone whose pitch falls onto its landing" },
  { id: "beater", model: "Beater", name: "Beater", kind: "noise burst", help: "Noise burst and a short low blip" },
  { id: "tail", model: "Tail", name: "Tail", kind: "long sine", help: "The resting note, with its own decay" },
  { id: "skins", model: "Skins", name: "Skins", kind: "two skins", help: "A drum's two skins and its wires, struck" },
  { id: "snare", model: "Snare", name: "Snare", kind: "tone and noise", help: "A swept tone and high-passed noise" },
  {
    id: "clap",
    model: "Clap",
    name: "Clap",
    kind: "bursts",
    help: "Bursts of noise from two to twelve hands, a tail, a room",
  },
  { id: "metal", model: "Metal", name: "Metal", kind: "ring of squares", help: "Hats and cymbals, closed to open" },
  {
    id: "rumble",
    model: "Rumble",
    name: "Rumble",
    kind: "of the kick",
    help: "The kick repeated in a room, to the tempo",
  },
  { id: "fm", model: "Fm", name: "Bell", kind: "two or three sines", help: "Sines that modulate one another" },
  { id: "chord", model: "Chord", name: "Chord", kind: "saws on a chord", help: "A stand-in for a pad or a stab" },
  { id: "take", model: "Take", name: "Take", kind: "recorded", help: "A recorded sound" },
];

const tenths = (px: number) => Math.round(10 * px) / 10;

/** Waveform outline: along the highest samples and back along the lowest, in a box of px. */
export function wavePath(low: number[], high: number[], width: number, height: number, full: number): string {
  const scale = (height / 2 - 1) / Math.max(full, 1e-6);
  const step = width / Math.max(1, low.length - 1);
  let path = "M";
  for (let i = 0; i < high.length; i++) {
    path += `${i ? "L" : ""}${tenths(i * step)} ${tenths(height / 2 - (high[i] ?? 0) * scale)}`;
  }
  for (let i = low.length - 1; i >= 0; i--) {
    path += `L${tenths(i * step)} ${tenths(height / 2 - (low[i] ?? 0) * scale + 0.6)}`;
  }
  return `${path}Z`;
}

/** A new layer with every setting at the engine's default, its pitch where the kick already lands. */
export function newLayer(engine: EngineId, layers: Layer[], landingHz: number): Layer {
  const used = new Set(layers.flatMap((layer) => [layer.id, layer.name]));
  const base = ENGINES.find((one) => one.id === engine)?.name ?? engine;
  let number = 1;
  const named = () => (number === 1 ? base : `${base} ${number}`);
  while (used.has(`${engine}-${number}`) || used.has(named())) number++;
  const name = named();
  const landing_hz = Number(landingHz.toFixed(3));
  const source = engine === "sweep" || engine === "tail" ? { engine, landing_hz } : { engine };
  // The server fills in what is left out from the model, which is where defaults are described.
  return { id: `${engine}-${number}`, name, source } as Layer;
}

/** A kept layer for another hit, under an id and a name that are free there. */
export function renamed(layer: Layer, name: string, layers: Layer[]): Layer {
  const used = new Set(layers.flatMap((one) => [one.id, one.name]));
  let number = 1;
  const named = () => (number === 1 ? name : `${name} ${number}`);
  while (used.has(`${layer.source.engine}-${number}`) || used.has(named())) number++;
  return { ...layer, id: `${layer.source.engine}-${number}`, name: named(), muted: false, solo: false };
}

/** A hit with one processor of a layer's chain at another place, or away: own ranges go with what they are of. */
export function stageMoved(hit: Hit, layerId: string, from: number, to: number | null): Hit {
  const length = hit.layers.find((one) => one.id === layerId)?.chain.length ?? 0;
  const order = Array.from({ length }, (_, index) => index).filter((index) => index !== from);
  if (to !== null) order.splice(to, 0, from);
  return {
    ...hit,
    layers: hit.layers.map((one) =>
      one.id === layerId ? { ...one, chain: order.flatMap((at) => one.chain[at] ?? []) } : one,
    ),
    ranges: hit.ranges.flatMap((one) => {
      if (one.layer_id !== layerId || one.stage === null || one.stage === undefined) return [one];
      const place = order.indexOf(one.stage);
      return place < 0 ? [] : [{ ...one, stage: place }];
    }),
  };
}
