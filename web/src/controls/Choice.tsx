import { type KeyboardEvent, useId } from "react";
import { Form } from "react-bootstrap";

interface Props<T extends string | number> {
  label: string;
  value: T;
  options: { value: T; label: string }[];
  onChange: (value: T) => void;
  disabled?: boolean;
}

/** The arrow keys choose here, also within a menu that would take them for itself. */
export const keepArrows = (event: KeyboardEvent) => {
  if (event.key.startsWith("Arrow")) event.stopPropagation();
};

/** One of a few. */
export function Choice<T extends string | number>({ label, value, options, onChange, disabled = false }: Props<T>) {
  const id = useId();
  return (
    <div className="field">
      <label htmlFor={id}>{label}</label>
      <Form.Select
        id={id}
        size="sm"
        value={value}
        disabled={disabled}
        onKeyDown={keepArrows}
        onChange={(event) => {
          const chosen = options.find((option) => String(option.value) === event.target.value);
          if (chosen) onChange(chosen.value);
        }}
      >
        {options.map((option) => (
          <option key={option.value} value={option.value}>
            {option.label}
          </option>
        ))}
      </Form.Select>
    </div>
  );
}
