import { type ReactNode, useId } from "react";
import { Dropdown, Form } from "react-bootstrap";
import { BASS } from "../../api/parts";
import type { Processor, StageChange } from "../../api/types";
import type { LeftOut } from "../../audio/comparison";
import { ByPass } from "../../controls/ByPass";
import { figure } from "../../controls/figures";
import { ModelChoices } from "../../controls/ModelChoices";
import { ModelRulers } from "../../controls/ModelRulers";
import { useMost, useSchema } from "../../queries/parameters";

import { DrawnPoints } from "./DrawnPoints";
import { FedByBar } from "./FedByBar";
import { GateSteps } from "./GateSteps";
import { type Kind, newProcessor, PROCESSORS } from "./processors";
import "./chain.css";

interface Props {
  name: string;
  part: string;
  layer: string | null;
  /** Whether anything goes through it. */
  heard?: boolean;
  /** Which list of the model holds it, for how much it takes. */
  list?: [string, string];
  tone?: "kick" | "bass";
  /** What does not apply here. */
  without?: Kind[];
  chain: Processor[];
  changes: StageChange[];
  onChange: (label: string, change: (chain: Processor[]) => Processor[], gesture?: string) => void;
  /** Own ranges of a hit's layer: shown, set, and moved with the processors they are of. */
  ranged?: Ranged | undefined;
}

interface Ranged {
  own: (stage: number, name: string) => [number, number] | undefined;
  mark: (stage: number, model: string, name: string) => ReactNode;
  /** One goes to another place, or away. */
  moved: (label: string, from: number, to: number | null) => void;
}

/** Processors one after the other, each with its rulers and what it changed, measured. */
export function Chain({
  name,
  part,
  layer,
  heard = true,
  list = ["Layer", "chain"],
  tone,
  without = [],
  chain,
  changes,
  onChange,
  ranged,
}: Props) {
  const schema = useSchema();
  const most = useMost(...list);
  const add = (kind: Kind) => {
    const known = PROCESSORS.find((one) => one.kind === kind);
    if (!known) return;
    const made = newProcessor(kind, schema(known.model));
    onChange(`${name}: add ${known.name}`, (now) => [...now, made]);
  };
  return (
    <section aria-label={`Chain of ${name}`}>
      {chain.length === 0 && (
        <p className="soft my-2">
          Nothing here: the sound goes through as it is. Each processor may come more than once.
        </p>
      )}
      <ol className="chain">
        {chain.map((one, index) => (
          <Stage
            key={`${index}-${one.kind}`}
            processor={one}
            tone={tone}
            change={changes[index]}
            byBar={part === BASS}
            byPass={heard && one.on ? { part, layer, stage: index, name: `${titleOf(one.kind)} of ${name}` } : null}
            onSet={(field, value, gesture) =>
              onChange(
                `${name}: ${titleOf(one.kind)}`,
                (now) => now.map((each, at) => (at === index ? ({ ...each, [field]: value } as Processor) : each)),
                gesture,
              )
            }
            own={(field) => ranged?.own(index, field)}
            mark={(model, field) => ranged?.mark(index, model, field)}
            onMove={(by) => {
              if (ranged) return ranged.moved(`${name}: reorder`, index, Math.max(0, index + by));
              onChange(`${name}: reorder`, (now) => {
                const moved = [...now];
                const [taken] = moved.splice(index, 1);
                if (taken) moved.splice(Math.max(0, index + by), 0, taken);
                return moved;
              });
            }}
            onRemove={() => {
              const label = `${name}: remove ${titleOf(one.kind)}`;
              if (ranged) return ranged.moved(label, index, null);
              onChange(label, (now) => now.filter((_, at) => at !== index));
            }}
          />
        ))}
      </ol>
      <Dropdown>
        <Dropdown.Toggle variant="plain" disabled={chain.length >= most}>
          Add a processor
        </Dropdown.Toggle>
        <Dropdown.Menu>
          {PROCESSORS.filter((one) => !without.includes(one.kind)).map((one) => (
            <Dropdown.Item key={one.kind} as="button" onClick={() => add(one.kind)}>
              <b>{one.name}</b> <span className="soft">{one.help}</span>
            </Dropdown.Item>
          ))}
        </Dropdown.Menu>
      </Dropdown>
    </section>
  );
}

const titleOf = (kind: Kind) => PROCESSORS.find((one) => one.kind === kind)?.name ?? kind;

interface StageProps {
  tone: "kick" | "bass" | undefined;
  processor: Processor;
  change: StageChange | undefined;
  byPass: LeftOut | null;
  /** Whether a bar may feed it more than another. */
  byBar: boolean;
  onSet: (field: string, value: unknown, gesture?: string) => void;
  own: (name: string) => [number, number] | undefined;
  mark: (model: string, name: string) => ReactNode;
  onMove: (by: -1 | 1) => void;
  onRemove: () => void;
}

function Stage({ tone, processor, change, byPass, byBar, own, mark, onSet, onMove, onRemove }: StageProps) {
  const known = PROCESSORS.find((one) => one.kind === processor.kind);
  const title = known?.name ?? processor.kind;
  const id = useId();
  return (
    <li className={processor.on ? "" : "off"} aria-label={title}>
      <div className="stage-head">
        <Form.Check
          type="switch"
          id={id}
          aria-label={`${title} on`}
          checked={processor.on}
          onChange={() => onSet("on", !processor.on)}
        />
        <h3>{title}</h3>
        {known && <ModelChoices model={known.model} values={processor} skip={["on"]} onChange={onSet} />}
        <span className="changed mono small">{changeText(processor.on, change)}</span>
        {byPass && <ByPass of={byPass} />}
        <span className="tools">
          <button type="button" aria-label={`Move ${title} earlier`} title="Earlier" onClick={() => onMove(-1)}>
            ↑
          </button>
          <button type="button" aria-label={`Move ${title} later`} title="Later" onClick={() => onMove(1)}>
            ↓
          </button>
          <button type="button" aria-label={`Remove ${title}`} title="Remove; undo brings it back" onClick={onRemove}>
            ✕
          </button>
        </span>
      </div>
      {processor.kind === "gate" && (
        <GateSteps pattern={processor.pattern} onChange={(pattern) => onSet("pattern", pattern)} />
      )}
      {byBar && (processor.kind === "delay" || processor.kind === "reverb") && (
        <FedByBar title={title} bars={processor.bars_db} onChange={(bars) => onSet("bars_db", bars)} />
      )}
      {processor.kind === "drawn" && (
        <DrawnPoints points={processor.points} onChange={(points, gesture) => onSet("points", points, gesture)} />
      )}
      {known && (
        <ModelRulers
          model={known.model}
          values={processor}
          tone={tone}
          tools={(field) => mark(known.model, field)}
          own={own}
          onChange={onSet}
        />
      )}
    </li>
  );
}

/** What a processor did, in figures. */
export function changeText(on: boolean, change: StageChange | undefined): string {
  if (!on) return "off";
  if (!change) return "not measured yet";
  if (change.idle) return "changes nothing";
  const parts: [string, number | null][] = [
    ["peak", change.peak_db],
    ["loudness", change.loudness_db],
    ["crest", change.crest_db],
    ["low end", change.low_db],
  ];
  return parts.map(([what, db]) => `${what} ${figure(db, "dB", { sign: true })}`).join(" · ");
}
