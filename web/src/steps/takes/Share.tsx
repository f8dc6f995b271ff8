import { useId } from "react";

interface Props {
  label: string;
  value: number;
  onChange: (value: number) => void;
  /** How the value reads. */
  said: string;
  min?: number;
  max?: number;
  step?: number;
  width?: number;
  disabled?: boolean;
}

/** A share of something, from none to all of it. */
export function Share({
  label,
  value,
  onChange,
  said,
  min = 0,
  max = 100,
  step = 5,
  width = 150,
  disabled = false,
}: Props) {
  const id = useId();
  return (
    <div className="field" style={{ width }}>
      <label htmlFor={id}>
        {label} <span className="mono">{said}</span>
      </label>
      <input
        type="range"
        id={id}
        min={min}
        max={max}
        step={step}
        value={value}
        disabled={disabled}
        aria-valuetext={said}
        onChange={({ target }) => onChange(Number(target.value))}
      />
    </div>
  );
}
