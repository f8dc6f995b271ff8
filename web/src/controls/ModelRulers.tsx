import type { ReactNode } from "react";
import { useDefinition } from "../queries/parameters";
import { Ruler } from "./Ruler";

interface Props {
  model: string;
  values: object;
  only?: string[];
  skip?: string[];
  tone?: "kick" | "bass" | "room";
  /** Small controls beside a ruler's name. */
  tools?: (name: string) => ReactNode;
  /** The user's own range of one. */
  own?: (name: string) => [number, number] | undefined;
  onChange: (name: string, value: number, gesture: string) => void;
}

/** A ruler for every numeric parameter of a model, in the model's own order. */
export function ModelRulers({ model, values, only, skip = [], tone, tools, own, onChange }: Props) {
  const definition = useDefinition(model);
  const names = Object.keys(definition).filter(
    (name) => definition[name]?.scale && (only ? only.includes(name) : !skip.includes(name)),
  );
  return (
    <div className="grid-rulers">
      {names.map((name) => (
        <Ruler
          key={name}
          model={model}
          name={name}
          tone={tone ?? "kick"}
          tools={tools?.(name)}
          own={own?.(name)}
          value={(values as Record<string, number>)[name] ?? 0}
          onChange={(value, gesture) => onChange(name, value, gesture)}
        />
      ))}
    </div>
  );
}
