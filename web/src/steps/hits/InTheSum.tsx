import { Form } from "react-bootstrap";
import type { Hit, Layer, Part } from "../../api/types";
import { ModelRulers } from "../../controls/ModelRulers";
import { useDefinition } from "../../queries/parameters";
import { KeepForm } from "./KeepForm";
import { ownRange } from "./OwnRangeMark";
import { soundRole } from "./pads";
import { RollMarks } from "./RollMarks";

interface Props {
  trackId: string;
  one: Part;
  layer: Layer;
  onChange: (label: string, change: (layer: Layer) => Layer, gesture?: string) => void;
  onHit: (label: string, change: (hit: Hit) => Hit) => void;
}

const ROLLED = "gain_db";
const PAN = "pan_pct";

/** A layer's place in the sum: level, start, tune, band, side, polarity; and keeping it for other hits. */
export function InTheSum({ trackId, one, layer, onChange, onHit }: Props) {
  const place = useDefinition("Layer");
  const control = (parameter: string) => ({ layerId: layer.id, stage: null, parameter });
  return (
    <section aria-label={`Place of ${layer.name} in the sum`}>
      <div className="bench-head">
        <Form.Check
          type="switch"
          id={`invert-${layer.id}`}
          label="Invert polarity"
          checked={layer.inverted}
          onChange={() => onChange(`${layer.name}: polarity`, (now) => ({ ...now, inverted: !now.inverted }))}
        />
        <span className="ms-auto" />
        <KeepForm
          key={layer.id}
          trackId={trackId}
          kind="layer"
          role={soundRole(one.role)}
          hit={{
            ...one.hit,
            layers: [{ ...layer, struck_by: null }],
            bus: [],
            bind: false,
            front: [],
            locked: [],
            ranges: [],
          }}
          proposed={layer.name}
        />
      </div>
      <ModelRulers
        model="Layer"
        values={layer}
        skip={one.id === "kick" ? [PAN] : []}
        onChange={(name, value, gesture) =>
          onChange(`${layer.name}: ${place[name]?.title ?? name}`, (now) => ({ ...now, [name]: value }), gesture)
        }
        tools={(name) =>
          name === ROLLED ? (
            <RollMarks hit={one.hit} name={`${layer.id}/${name}`} model="Layer" of={control(name)} onHit={onHit} />
          ) : null
        }
        own={(name) => ownRange(one.hit, control(name))}
      />
    </section>
  );
}
