import { useQueryClient } from "@tanstack/react-query";
import { Dropdown } from "react-bootstrap";
import { api } from "../../api/client";
import type { Layer, Part, PrintOf } from "../../api/types";
import { figure } from "../../controls/figures";
import { useNotices } from "../../frame/notices";
import { useEditor } from "../../queries/editor";
import { takesQuery } from "../../queries/queries";

const LONGEST = 40;

/** A hit, its layer, its line or everything as it is heard, printed as a take that knows what it was made from. */
export function PrintMenu({ one, layer }: { one: Part; layer: Layer | undefined }) {
  const { state, track } = useEditor();
  const cache = useQueryClient();
  const { say } = useNotices();
  const { bars } = track.sheet;
  const print = async (what: PrintOf, name: string) => {
    try {
      const made = await api.print(state.id, what, name.slice(0, LONGEST));
      await cache.invalidateQueries({ queryKey: takesQuery().queryKey });
      say({ text: `${made.name} is among the takes: ${figure(made.duration_ms, "ms")}.` });
    } catch (error) {
      say({ text: `Nothing was printed: ${error instanceof Error ? error.message : String(error)}` });
    }
  };
  const whole = { part: one.id, layer: null, from_bar: 0, bars };
  const items: [string, PrintOf, string][] = [
    [`${one.name}, one stroke`, { ...whole, of: "hit" }, `${one.name} printed`],
    ...(layer && one.hit.layers.length > 1
      ? ([[`${layer.name}, one layer`, { ...whole, of: "layer", layer: layer.id }, `${layer.name} printed`]] as [
          string,
          PrintOf,
          string,
        ][])
      : []),
    [`${one.name}, its line`, { ...whole, of: "part" }, `${one.name} line`],
    [`${one.name}, its first bar`, { ...whole, of: "part", bars: 1 }, `${one.name} bar 1`],
    ["Everything, all bars", { ...whole, of: "everything" }, `${state.track.name.slice(0, 30)} loop`],
  ];
  return (
    <Dropdown align="end">
      <Dropdown.Toggle variant="plain" title="As it is heard, as a take">
        Print
      </Dropdown.Toggle>
      <Dropdown.Menu>
        {items.map(([text, what, name]) => (
          <Dropdown.Item as="button" key={text} onClick={() => void print(what, name)}>
            {text}
          </Dropdown.Item>
        ))}
      </Dropdown.Menu>
    </Dropdown>
  );
}
