import { keepPreviousData, useQuery } from "@tanstack/react-query";
import type { Hit, Part } from "../../api/types";
import { figure } from "../../controls/figures";
import { ModelChoices } from "../../controls/ModelChoices";
import { ModelRulers } from "../../controls/ModelRulers";
import { useEditor } from "../../queries/editor";
import { useDefinition, useMost, useSchema } from "../../queries/parameters";
import { strengthsQuery } from "../../queries/queries";
import { ENGINES } from "./layers";
import "./strength.css";

interface Props {
  one: Part;
  onHit: (label: string, change: (hit: Hit) => Hit, gesture?: string) => void;
  onStrike: (velocity: number) => void;
}

/** What a bar of no height stands for, and what the dots go down to. */
const LOWEST_DB = -40;
const DARKEST_OCTAVES = 3;
const HEIGHT = 42;

/** How strength changes the hit: rulers, declared maps, and a strip to hear 1 to 127. */
export function Strength({ one, onHit, onStrike }: Props) {
  const definition = useDefinition("Velocity");
  const schema = useSchema();
  const most = useMost("Velocity", "maps");
  const { velocity, layers } = one.hit;
  const { settled } = useEditor();
  const { data: strip } = useQuery({
    ...strengthsQuery(settled.id, settled.revision, one.id),
    placeholderData: keepPreviousData,
  });
  const hardest = strip?.at(-1)?.brightness_hz;
  const set = (name: string, value: number | string | boolean, gesture?: string) =>
    onHit(
      `Strength: ${definition[name]?.title ?? name}`,
      (hit) => ({ ...hit, velocity: { ...hit.velocity, [name]: value } }),
      gesture,
    );
  const rulers = (layerId: string) => {
    const layer = layers.find((each) => each.id === layerId);
    const model = ENGINES.find((engine) => engine.id === layer?.source.engine)?.model;
    if (!model) return [];
    return Object.entries(schema(model)).filter(([, field]) => field.scale);
  };
  const setMaps = (label: string, change: (maps: typeof velocity.maps) => typeof velocity.maps, gesture?: string) =>
    onHit(label, (hit) => ({ ...hit, velocity: { ...hit.velocity, maps: change(hit.velocity.maps) } }), gesture);
  const free = layers.flatMap((layer) =>
    rulers(layer.id)
      .filter(([name]) => !velocity.maps.some((map) => map.layer_id === layer.id && map.parameter === name))
      .map(([name, field]) => ({ layer, name, title: field.title ?? name })),
  );
  return (
    <section aria-label="Strength">
      <div className="strength" role="group" aria-label="Strength strip, softest to hardest">
        {strip?.map(({ velocity: strength, level_db, brightness_hz }) => (
          <button
            type="button"
            key={strength}
            aria-label={`Hear velocity ${strength}: ${figure(level_db, "dB", { sign: true })}, bright at ${figure(brightness_hz, "Hz")}`}
            title={`${figure(level_db, "dB", { sign: true })} against the hardest, bright at ${figure(brightness_hz, "Hz")}`}
            onPointerDown={(event) => event.button === 0 && onStrike(strength)}
            onPointerEnter={(event) => event.buttons & 1 && onStrike(strength)}
            onKeyDown={(event) => {
              if (event.key !== "Enter") return;
              event.preventDefault();
              onStrike(strength);
            }}
          >
            <i style={{ height: Math.max(2, HEIGHT * (1 - (level_db ?? LOWEST_DB) / LOWEST_DB)) }} />
            {brightness_hz !== null && hardest && (
              <b
                style={{
                  bottom: 20 + HEIGHT * Math.max(0, 1 - Math.log2(hardest / brightness_hz) / DARKEST_OCTAVES),
                }}
              />
            )}
            <span className="mono">{strength}</span>
          </button>
        ))}
      </div>
      <p className="soft small">
        The hit as set is velocity 127; softer strokes are made from it. Bars are how loud each is, down to −40 dB,
        dots how bright, down to three octaves less: measured. Press or sweep over the strip to hear them.
      </p>
      <ModelRulers model="Velocity" values={velocity} skip={["robins"]} onChange={set} />
      <div className="bench-head">
        <label className="soft" htmlFor="robins">
          Round robins
        </label>
        <input
          id="robins"
          type="range"
          min={1}
          max={8}
          value={velocity.robins}
          onChange={(event) => set("robins", Number(event.target.value), "robins")}
        />
        <span className="mono">{velocity.robins}</span>
        <ModelChoices model="Velocity" values={velocity} onChange={set} />
      </div>
      <div className="bench-head">
        <h3>Follows strength</h3>
        <select
          className="form-select form-select-sm"
          style={{ width: 220 }}
          aria-label="Add a parameter that follows strength"
          value=""
          disabled={velocity.maps.length >= most}
          onChange={(event) => {
            const [layer_id, parameter] = event.target.value.split("/");
            const source = layers.find((layer) => layer.id === layer_id)?.source as unknown as Record<string, number>;
            if (!layer_id || !parameter || !source) return;
            const soft = source[parameter] ?? 0;
            setMaps("Follow strength", (maps) => [...maps, { layer_id, parameter, soft }]);
          }}
        >
          <option value="">Add a parameter…</option>
          {free.map(({ layer, name, title }) => (
            <option key={`${layer.id}/${name}`} value={`${layer.id}/${name}`}>
              {layer.name}: {title}
            </option>
          ))}
        </select>
        <span className="soft small">Its value at velocity 1; at 127 it is as set on the layer.</span>
      </div>
      {velocity.maps.map((map, index) => {
        const layer = layers.find((each) => each.id === map.layer_id);
        const model = ENGINES.find((engine) => engine.id === layer?.source.engine)?.model;
        if (!layer || !model || !schema(model)[map.parameter]) return null;
        return (
          <div className="map" key={`${map.layer_id}/${map.parameter}`}>
            <span>{layer.name}</span>
            <ModelRulers
              model={model}
              values={{ [map.parameter]: map.soft }}
              only={[map.parameter]}
              onChange={(_, soft, gesture) =>
                setMaps(
                  "Value at velocity 1",
                  (maps) => maps.map((each, at) => (at === index ? { ...each, soft } : each)),
                  gesture,
                )
              }
            />
            <button
              type="button"
              className="btn btn-plain"
              onClick={() => setMaps("No longer follows strength", (maps) => maps.filter((_, at) => at !== index))}
            >
              Remove
            </button>
          </div>
        );
      })}
    </section>
  );
}
