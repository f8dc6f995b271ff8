import { useDefinition } from "../queries/parameters";
import { Choice } from "./Choice";

interface Props {
  model: "Bass" | "KickLoop";
  value: number;
  onChange: (bars: number) => void;
}

/** To how many bars a recorded loop is fitted, or its own speed. */
export function BarsChoice({ model, value, onChange }: Props) {
  const field = useDefinition(model).fit_bars;
  return (
    <Choice
      label={field?.title ?? ""}
      value={value}
      options={Array.from({ length: (field?.maximum ?? 0) + 1 }, (_, bars) => ({
        value: bars,
        label: bars ? `${bars} ${bars === 1 ? "bar" : "bars"}` : "its own speed",
      }))}
      onChange={onChange}
    />
  );
}
