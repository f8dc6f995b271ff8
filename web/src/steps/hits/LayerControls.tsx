import { Form } from "react-bootstrap";
import type { Hit, Layer, Part } from "../../api/types";
import { ByPass } from "../../controls/ByPass";
import { Choice } from "../../controls/Choice";
import { ModelChoices } from "../../controls/ModelChoices";
import { ModelRulers } from "../../controls/ModelRulers";
import { useDefinition } from "../../queries/parameters";
import { ENGINES } from "./layers";
import { MakeIt } from "./MakeIt";
import { NearRecording } from "./NearRecording";
import { ownRange } from "./OwnRangeMark";
import { RollMarks } from "./RollMarks";

interface Props {
  one: Part;
  hit: Hit;
  layer: Layer;
  onChange: (label: string, change: (layer: Layer) => Layer, gesture?: string) => void;
  onHit: (label: string, change: (hit: Hit) => Hit) => void;
}

const NOBODY = "nobody";

/** Rulers of the selected layer's engine; beside each, whether rolls may move it and whether it is a front control. */
export function LayerControls({ one, hit, layer, onChange, onHit }: Props) {
  const engine = ENGINES.find((one) => one.id === layer.source.engine);
  const model = engine?.model ?? "Sweep";
  const definition = useDefinition(model);
  const source = layer.source;
  const setSource = (name: string, value: string | number | boolean, gesture?: string) =>
    onChange(
      `${layer.name}: ${definition[name]?.title ?? name}`,
      (one) => ({ ...one, source: { ...one.source, [name]: value } }) as Layer,
      gesture,
    );
  const control = (parameter: string) => ({ layerId: layer.id, stage: null, parameter });
  const strikers = hit.layers.filter((one) => one.id !== layer.id && !one.struck_by);
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
        {!layer.muted && <ByPass of={{ part: one.id, layer: layer.id, stage: null, name: layer.name }} />}
        <ModelChoices model={model} values={source} skip={["engine"]} onChange={setSource} />
        {source.engine === "skins" && (
          <div style={{ width: 150 }}>
            <Choice
              label="Struck by"
              value={layer.struck_by ?? NOBODY}
              options={[
                { value: NOBODY, label: "a stick" },
                ...strikers.map((one) => ({ value: one.id, label: one.name })),
              ]}
              onChange={(value) =>
                onChange(`${layer.name}: struck by`, (one) => ({
                  ...one,
                  struck_by: value === NOBODY ? null : value,
                }))
              }
            />
          </div>
        )}
        {"seed" in source && (
          <button
            type="button"
            className="btn btn-plain"
            onClick={() => setSource("seed", (Number(source.seed ?? 1) + 1) % 10000)}
            title="Same settings, other noise"
          >
            Another noise (<span className="mono">{source.seed}</span>)
          </button>
        )}
      </div>
      <ModelRulers
        model={model}
        values={source}
        onChange={setSource}
        tools={(name) => (
          <RollMarks hit={hit} name={`${layer.id}/${name}`} model={model} of={control(name)} onHit={onHit} />
        )}
        own={(name) => ownRange(hit, control(name))}
      />
      {source.engine === "take" && (source.alternates?.length ?? 0) > 1 && (
        <p className="soft small mb-0">
          {source.alternates?.length} recordings of one thing, each in its turn, those nearest to a stroke's strength;
          From and Length move all of them.
        </p>
      )}
      {source.engine === "take" && <MakeIt key={one.id} one={one} />}
      {source.engine === "take" && <NearRecording key={layer.id} one={one} layer={layer} />}
    </section>
  );
}
