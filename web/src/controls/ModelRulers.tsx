import { useDefinition } from "../queries/parameters";
import { Ruler } from "./Ruler";

interface Props {
  model: string;
  values: object;
  only?: string[];
  tone?: "kick" | "bass" | "room";
  onChange: (name: string, value: number, gesture: string) => void;
}

/** A ruler for every numeric parameter of a model, in the model's own order. */
export function ModelRulers({ model, values, only, tone, onChange }: Props) {
  const definition = useDefinition(model);
  const names = Object.keys(definition).filter((name) => definition[name]?.scale && (!only || only.includes(name)));
  return (
    <div className="grid-rulers">
      {names.map((name) => (
        <Ruler
          key={name}
          model={model}
          name={name}
          tone={tone ?? "kick"}
          value={(values as Record<string, number>)[name] ?? 0}
          onChange={(value, gesture) => onChange(name, value, gesture)}
        />
      ))}
    </div>
  );
}
