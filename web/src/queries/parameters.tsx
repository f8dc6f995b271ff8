import { createContext, type ReactNode, useContext, useMemo } from "react";
import type { Part } from "../api/types";

/** A numeric parameter as the engine describes it. */
export interface Parameter {
  title: string;
  description: string;
  unit: string;
  scale: "linear" | "log";
  step: number;
  minimum: number;
  maximum: number;
  default: number;
  /** What values of a ruler without a unit are called. */
  words?: [number, string][];
}

interface Property extends Partial<Parameter> {
  enum?: (string | number)[];
  type?: string;
  maxItems?: number;
  /** How many parts a track may have. */
  most_parts?: number;
}
interface Definition {
  properties?: Record<string, Property>;
}
export interface Schema extends Definition {
  title?: string;
  $defs?: Record<string, Definition>;
}

const SchemaContext = createContext<Schema | null>(null);

export function ParametersProvider({ schema, children }: { schema: Schema; children: ReactNode }) {
  return <SchemaContext value={schema}>{children}</SchemaContext>;
}

type Properties = NonNullable<Definition["properties"]>;

/** The properties of any model, by its name. */
export function useSchema(): (model: string) => Properties {
  const schema = useContext(SchemaContext);
  if (schema === null) throw new Error("useSchema needs a ParametersProvider above it");
  return (model) => {
    const found = (model === schema.title ? schema : schema.$defs?.[model])?.properties;
    if (!found) throw new Error(`the schema has no model ${model}`);
    return found;
  };
}

export const useDefinition = (model: string): Properties => useSchema()(model);

/** Range, unit, scale, default and help of one numeric parameter. */
export function useParameter(model: string, name: string): Parameter {
  const found = useDefinition(model)[name];
  if (found?.minimum === undefined || found.maximum === undefined || found.default === undefined) {
    throw new Error(`${model}.${name} is not a numeric parameter`);
  }
  // The same object every time, so that what is drawn from it is drawn once.
  return useMemo(
    () => ({ title: name, description: "", unit: "", scale: "linear", step: 1, ...found }) as Parameter,
    [name, found],
  );
}

/** What the model has a part be where nothing else is said of it. */
export function usePlainPart(): Partial<Part> {
  const definition = useDefinition("Part");
  return useMemo(
    () =>
      Object.fromEntries(
        Object.entries(definition).flatMap(([name, one]) => (one.default === undefined ? [] : [[name, one.default]])),
      ),
    [definition],
  );
}

/** How many items a list of a model may have. */
export const useMost = (model: string, name: string): number =>
  useDefinition(model)[name]?.maxItems ?? Number.POSITIVE_INFINITY;

/** Values of a choice, in the order of the model. */
export function useChoices(model: string, name: string): (string | number)[] {
  return useDefinition(model)[name]?.enum ?? [];
}
