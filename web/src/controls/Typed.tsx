import { useState } from "react";
import { figure } from "./figures";
import { typedNumber } from "./scale";

interface Props {
  label: string;
  unit: string;
  value: number | null;
  sign?: boolean;
  onTyped: (value: number) => void;
}

/** A figure that is measured, and may be typed: what is typed is asked for. */
export function Typed({ label, unit, value, sign = false, onTyped }: Props) {
  const [typed, setTyped] = useState<string | null>(null);
  const say = () => {
    const wanted = typedNumber(typed ?? "");
    setTyped(null);
    if (Number.isFinite(wanted)) onTyped(wanted);
  };
  return (
    <label className="together soft">
      <input
        className="form-control form-control-sm mono"
        style={{ width: 64 }}
        inputMode="decimal"
        aria-label={label}
        value={typed ?? figure(value, unit, { sign }).replace(` ${unit}`, "")}
        onFocus={(event) => event.target.select()}
        onChange={(event) => setTyped(event.target.value)}
        onKeyDown={(event) => {
          event.stopPropagation();
          if (event.key === "Enter") say();
          if (event.key === "Escape") setTyped(null);
        }}
        onBlur={say}
      />
      {unit}
    </label>
  );
}
