import { Form } from "react-bootstrap";
import { useDefinition } from "../queries/parameters";
import { Choice } from "./Choice";

interface Props {
  model: string;
  values: object;
  skip?: string[];
  onChange: (name: string, value: string | number | boolean) => void;
}

/** Everything of a model that is one of a few, or on and off. */
export function ModelChoices({ model, values, skip = [], onChange }: Props) {
  const definition = useDefinition(model);
  const now = values as Record<string, string | number | boolean>;
  return (
    <>
      {Object.entries(definition).map(([name, one]) => {
        if (skip.includes(name)) return null;
        const title = one.title ?? name;
        if (one.enum) {
          return (
            <div key={name} style={{ minWidth: 130, width: "max-content" }}>
              <Choice
                label={title}
                value={(now[name] ?? one.default ?? "") as string | number}
                options={one.enum.map((value) => ({ value, label: `${value} ${one.unit ?? ""}`.trim() }))}
                onChange={(value) => onChange(name, value)}
              />
            </div>
          );
        }
        if (one.type === "boolean") {
          return (
            <Form.Check
              key={name}
              type="switch"
              id={`${model}-${name}`}
              label={title}
              title={one.description}
              checked={Boolean(now[name])}
              onChange={() => onChange(name, !now[name])}
            />
          );
        }
        return null;
      })}
    </>
  );
}
