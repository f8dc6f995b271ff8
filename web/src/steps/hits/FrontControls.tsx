import type { Hit, Part } from "../../api/types";
import { Ruler } from "../../controls/Ruler";
import { useSchema } from "../../queries/parameters";
import { ENGINES } from "./layers";
import { ownRange } from "./OwnRangeMark";
import { RollMarks } from "./RollMarks";

interface Props {
  one: Part;
  onHit: (label: string, change: (hit: Hit) => Hit, gesture?: string) => void;
}

/** The hit's chosen parameters, together. */
export function FrontControls({ one, onHit }: Props) {
  const schema = useSchema();
  const found = one.hit.front.flatMap((name) => {
    const [id, parameter] = name.split("/");
    const layer = one.hit.layers.find((each) => each.id === id);
    const model = ENGINES.find((engine) => engine.id === layer?.source.engine)?.model;
    const title = model && parameter ? schema(model)[parameter]?.title : undefined;
    return layer && model && parameter && title ? [{ name, layer, model, parameter, title }] : [];
  });
  if (found.length === 0) return null;
  return (
    <div className="grid-rulers">
      {found.map(({ name, layer, model, parameter, title }) => (
        <Ruler
          key={name}
          model={model}
          name={parameter}
          label={`${layer.name}: ${title}`}
          value={(layer.source as unknown as Record<string, number>)[parameter] ?? 0}
          tools={
            <RollMarks
              hit={one.hit}
              name={name}
              model={model}
              of={{ layerId: layer.id, stage: null, parameter }}
              onHit={onHit}
            />
          }
          own={ownRange(one.hit, { layerId: layer.id, stage: null, parameter })}
          onChange={(value, gesture) =>
            onHit(
              `${layer.name}: ${title}`,
              (hit) => ({
                ...hit,
                layers: hit.layers.map((each) =>
                  each.id === layer.id
                    ? ({ ...each, source: { ...each.source, [parameter]: value } } as typeof each)
                    : each,
                ),
              }),
              gesture,
            )
          }
        />
      ))}
    </div>
  );
}
