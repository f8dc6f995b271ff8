import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Dropdown } from "react-bootstrap";
import type { Hit, Layer } from "../../api/types";
import { useMost } from "../../queries/parameters";
import { keptQuery } from "../../queries/queries";
import { ENGINES, newLayer, renamed } from "./layers";

interface Props {
  hit: Hit;
  landingHz: number | null;
  /** Engines that make no sense here. */
  without?: string[];
  onAdd: (layer: Layer) => void;
}

const USUAL_HZ = 55;

/** One layer more: a new one of any engine, or one that was kept. */
export function AddLayer({ hit, landingHz, without = [], onAdd }: Props) {
  const [open, setOpen] = useState(false);
  const kept = useQuery({ ...keptQuery(), enabled: open });
  const layers = kept.data?.filter((one) => one.kind === "layer") ?? [];
  const most = useMost("Hit", "layers");
  const full = hit.layers.length >= most;
  return (
    <Dropdown align="end" show={open} onToggle={setOpen}>
      <Dropdown.Toggle
        variant="plain"
        disabled={full}
        title={full ? `A hit has up to ${most} layers; remove one to add another.` : undefined}
      >
        Add a layer
      </Dropdown.Toggle>
      <Dropdown.Menu>
        {ENGINES.filter((engine) => engine.id !== "take" && !without.includes(engine.id)).map((engine) => (
          <Dropdown.Item
            key={engine.id}
            as="button"
            onClick={() => onAdd(newLayer(engine.id, hit.layers, landingHz ?? USUAL_HZ))}
          >
            <b>{engine.name}</b> <span className="soft">{engine.help}</span>
          </Dropdown.Item>
        ))}
        {layers.length > 0 && <Dropdown.Header>Kept by you</Dropdown.Header>}
        {layers.map((one) => {
          const layer = one.hit.layers[0];
          return layer ? (
            <Dropdown.Item key={one.id} as="button" onClick={() => onAdd(renamed(layer, one.name, hit.layers))}>
              <b>{one.name}</b>{" "}
              <span className="soft">{ENGINES.find((engine) => engine.id === layer.source.engine)?.kind}</span>
            </Dropdown.Item>
          ) : null;
        })}
      </Dropdown.Menu>
    </Dropdown>
  );
}
