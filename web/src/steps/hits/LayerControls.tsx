import { Form } from "react-bootstrap";
import type { Layer } from "../../api/types";
import { Choice } from "../../controls/Choice";
import { ModelRulers } from "../../controls/ModelRulers";
import { useDefinition } from "../../queries/parameters";
import { ENGINES } from "./layers";

interface Props {
  layer: Layer;
  onChange: (label: string, change: (layer: Layer) => Layer, gesture?: string) => void;
}

/** Rulers of the selected layer: its engine's, then its place in the sum. */
export function LayerControls({ layer, onChange }: Props) {
  const engine = ENGINES.find((one) => one.id === layer.source.engine);
  const model = engine?.model ?? "Sweep";
  const definition = useDefinition(model);
  const place = useDefinition("Layer");
  const source = layer.source;
  const setSource = (name: string, value: number, gesture?: string) =>
    onChange(
      `${layer.name}: ${definition[name]?.title ?? name}`,
      (one) => ({ ...one, source: { ...one.source, [name]: value } }) as Layer,
      gesture,
    );
  return (
    <section aria-label={`Controls of ${layer.name}`}>
      <div className="bench-head">
        <Form.Control
          size="sm"
          aria-label="Layer name"
          style={{ width: 130, fontWeight: 700 }}
          maxLength={40}
          value={layer.name}
          onChange={(event) => {
            const name = event.target.value;
            if (name) onChange("Rename layer", (one) => ({ ...one, name }), `name-${layer.id}`);
          }}
        />
        <span className="soft">{engine?.kind}</span>
        <Form.Check
          type="switch"
          id={`invert-${layer.id}`}
          label="Invert polarity"
          checked={layer.inverted}
          onChange={() => onChange(`${layer.name}: polarity`, (one) => ({ ...one, inverted: !one.inverted }))}
        />
        {Object.entries(definition).map(
          ([name, one]) =>
            one.enum && (
              <div key={name} style={{ width: 130 }}>
                <Choice
                  label={one.title ?? name}
                  value={(source as unknown as Record<string, number>)[name] ?? 0}
                  options={one.enum.map((value) => ({ value: Number(value), label: `${value} ${one.unit ?? ""}` }))}
                  onChange={(value) => setSource(name, value)}
                />
              </div>
            ),
        )}
        {"seed" in source && (
          <button
            type="button"
            className="btn btn-plain"
            onClick={() => setSource("seed", ((source.seed ?? 1) + 1) % 10000)}
            title="Same settings, other noise"
          >
            Another noise (<span className="mono">{source.seed}</span>)
          </button>
        )}
      </div>
      <ModelRulers model={model} values={source} onChange={setSource} />
      <div className="bench-head">
        <h3>In the sum</h3>
      </div>
      <ModelRulers
        model="Layer"
        values={layer}
        onChange={(name, value, gesture) =>
          onChange(`${layer.name}: ${place[name]?.title ?? name}`, (one) => ({ ...one, [name]: value }), gesture)
        }
      />
    </section>
  );
}
