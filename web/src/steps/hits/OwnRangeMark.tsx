import { type FormEvent, useRef, useState } from "react";
import { Overlay, Popover } from "react-bootstrap";
import type { Hit, OwnRange } from "../../api/types";
import { typedNumber } from "../../controls/scale";
import { useMost, useParameter } from "../../queries/parameters";
import "./marks.css";

/** A control of a hit: of a layer or its engine, or of a processor at a place in the layer's chain. */
export interface Control {
  layerId: string;
  stage: number | null;
  parameter: string;
}

const isOf = (one: OwnRange, of: Control) =>
  one.layer_id === of.layerId && (one.stage ?? null) === of.stage && one.parameter === of.parameter;

/** The own range of a control of a hit, where it has one. */
export function ownRange(hit: Hit, of: Control): [number, number] | undefined {
  const found = hit.ranges.find((one) => isOf(one, of));
  return found && [found.low, found.high];
}

interface Props {
  hit: Hit;
  of: Control;
  model: string;
  onHit: (label: string, change: (hit: Hit) => Hit) => void;
}

/** Lowest and highest value that rolls, strength maps and morphs may give a control. */
export function OwnRangeMark({ hit, of, model, onHit }: Props) {
  const button = useRef<HTMLButtonElement>(null);
  const [open, setOpen] = useState(false);
  const most = useMost("Hit", "ranges");
  const own = ownRange(hit, of);
  const close = () => {
    setOpen(false);
    button.current?.focus();
  };
  const set = (range: [number, number] | null) => {
    onHit(range ? "Own range" : "No own range", (now) => ({
      ...now,
      ranges: [
        ...now.ranges.filter((one) => !isOf(one, of)),
        ...(range
          ? [{ layer_id: of.layerId, stage: of.stage, parameter: of.parameter, low: range[0], high: range[1] }]
          : []),
      ],
    }));
    close();
  };
  return (
    <>
      <button
        type="button"
        ref={button}
        aria-pressed={own !== undefined}
        aria-expanded={open}
        disabled={!own && hit.ranges.length >= most}
        title="Own range: rolls, strength and morphs stay inside it"
        onClick={() => setOpen(!open)}
      >
        range
      </button>
      <Overlay target={button} show={open} placement="bottom" rootClose onHide={() => setOpen(false)}>
        <Popover id={`range-${of.layerId}-${of.stage ?? ""}-${of.parameter}`}>
          <Popover.Body>
            <RangeForm of={of} model={model} own={own} onSet={set} onClose={close} />
          </Popover.Body>
        </Popover>
      </Overlay>
    </>
  );
}

interface FormProps {
  of: Control;
  model: string;
  own: [number, number] | undefined;
  onSet: (range: [number, number] | null) => void;
  onClose: () => void;
}

function RangeForm({ of, model, own, onSet, onClose }: FormProps) {
  const parameter = useParameter(model, of.parameter);
  const [texts, setTexts] = useState([String(own?.[0] ?? parameter.minimum), String(own?.[1] ?? parameter.maximum)]);
  const [low, high] = texts.map(typedNumber) as [number, number];
  const inside = (value: number) => value >= parameter.minimum && value <= parameter.maximum;
  const wrong = ![low, high].every(Number.isFinite)
    ? "Type two numbers."
    : !inside(low) || !inside(high)
      ? `The ruler goes from ${parameter.minimum} to ${parameter.maximum} ${parameter.unit}.`
      : low > high
        ? "The lowest is above the highest."
        : null;
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (!wrong) onSet([low, high]);
  };
  return (
    <form
      className="own-range"
      aria-label={`Own range of ${parameter.title}`}
      onSubmit={submit}
      onKeyDown={(event) => {
        event.stopPropagation();
        if (event.key === "Escape") onClose();
      }}
    >
      {(["Lowest", "Highest"] as const).map((name, index) => (
        <label key={name}>
          <span className="soft">{parameter.unit ? `${name}, ${parameter.unit}` : name}</span>
          <input
            className="form-control form-control-sm mono"
            inputMode="decimal"
            // biome-ignore lint/a11y/noAutofocus: the press that opened it asked to type here
            autoFocus={index === 0}
            value={texts[index]}
            onFocus={(event) => event.target.select()}
            onChange={(event) => setTexts(texts.map((text, at) => (at === index ? event.target.value : text)))}
          />
        </label>
      ))}
      <button type="submit" className="btn btn-strong" disabled={wrong !== null}>
        Keep it inside
      </button>
      {own && (
        <button type="button" className="btn btn-plain" onClick={() => onSet(null)}>
          No own range
        </button>
      )}
      <p className={wrong ? "clash-text small" : "soft small"} role="status">
        {wrong ?? "Rolls, strength and morphs stay inside; the ruler itself does not."}
      </p>
    </form>
  );
}
