import { useState } from "react";
import { Button, ButtonGroup, Dropdown } from "react-bootstrap";
import type { Layer, Track, View } from "../api/types";
import { figure, pretty } from "../controls/figures";
import { ModelRulers } from "../controls/ModelRulers";
import { Ruler } from "../controls/Ruler";
import { useEditor } from "../queries/editor";
import { useDefinition } from "../queries/parameters";
import { LayerControls } from "./hits/LayerControls";
import { LayerFit } from "./hits/LayerFit";
import { LayerRow } from "./hits/LayerRow";
import { ENGINES, type EngineId, newLayer } from "./hits/layers";
import { StartFrom } from "./hits/StartFrom";
import "./hits/hits.css";

const MOST_LAYERS = 16;

/** Layers of the kick on one time axis, their sum above, the selected layer's controls beneath; and the bass. */
export function HitsStep({ view }: { view: View }) {
  const editor = useEditor();
  const [shown, setShown] = useState<"kick" | "bass">("kick");
  const [selected, setSelected] = useState<string | null>(null);
  const { kick, bass, mix } = editor.track;
  const layer = kick.layers.find((one) => one.id === selected) ?? kick.layers[0];
  const bassModel = useDefinition("Bass");

  const setLayers = (label: string, change: (layers: Layer[]) => Layer[], gesture?: string) =>
    editor.edit(
      label,
      (track) => ({ ...track, kick: { ...track.kick, layers: change(track.kick.layers) } }),
      gesture,
    );
  const setMix = (name: keyof Track["mix"]) => (value: number, gesture: string) =>
    editor.edit("Level in the loop", (track) => ({ ...track, mix: { ...track.mix, [name]: value } }), gesture);

  const add = (engine: EngineId, name: string) => {
    const made = newLayer(engine, kick.layers, view.report.kick?.landing_hz ?? 55);
    setLayers(`Add ${name}`, (layers) => [...layers, made]);
    setSelected(made.id);
  };
  const figures = view.report.kick;
  return (
    <>
      <div className="bench-head">
        <h2>{shown === "kick" ? "Kick" : "Bass"}</h2>
        <span className="soft">
          {shown === "kick"
            ? `${kick.layers.length} layers, ${figure(view.hit.span_ms, "ms")}`
            : "sub with harmonics"}
        </span>
        <ButtonGroup size="sm" className="sides ms-auto" aria-label="What to shape">
          {(["kick", "bass"] as const).map((part) => (
            <Button key={part} variant="outline-dark" active={shown === part} onClick={() => setShown(part)}>
              {part === "kick" ? "Kick" : "Bass"}
            </Button>
          ))}
        </ButtonGroup>
        {shown === "kick" && <StartFrom />}
        {shown === "kick" && (
          <Dropdown align="end">
            <Dropdown.Toggle variant="plain" disabled={kick.layers.length >= MOST_LAYERS}>
              Add a layer
            </Dropdown.Toggle>
            <Dropdown.Menu>
              {ENGINES.map((engine) => (
                <Dropdown.Item key={engine.id} as="button" onClick={() => add(engine.id, engine.name)}>
                  <b>{engine.name}</b> <span className="soft">{engine.help}</span>
                </Dropdown.Item>
              ))}
            </Dropdown.Menu>
          </Dropdown>
        )}
      </div>
      {shown === "kick" ? (
        <>
          <div className="layers" role="list" aria-label="Layers">
            <LayerRow
              picture={view.hit.sum}
              hit={view.hit}
              name="Sum"
              kind={view.report.tuning ? `lands ${pretty(view.report.tuning.landing_note)}` : "no pitch"}
              figures={[
                figures?.true_peak_db != null ? figure(figures.true_peak_db, "dBTP") : "–",
                figures?.length_ms ? figure(figures.length_ms, "ms") : "–",
              ]}
            />
            {kick.layers.map((one, index) => (
              <LayerRow
                key={one.id}
                picture={view.hit.layers.find((picture) => picture.id === one.id)}
                hit={view.hit}
                name={one.name}
                kind={ENGINES.find((engine) => engine.id === one.source.engine)?.kind ?? ""}
                figures={[figure(one.gain_db, "dB"), figure(one.offset_ms, "ms", { sign: true })]}
                layer={one}
                selected={one.id === layer?.id}
                onSelect={() => setSelected(one.id)}
                onChange={(label, change) =>
                  setLayers(label, (layers) => layers.map((other) => (other.id === one.id ? change(other) : other)))
                }
                onMove={(by) =>
                  setLayers("Reorder layers", (layers) => {
                    const moved = [...layers];
                    const [taken] = moved.splice(index, 1);
                    if (taken) moved.splice(Math.max(0, index + by), 0, taken);
                    return moved;
                  })
                }
                onRemove={() =>
                  setLayers(`Remove ${one.name}`, (layers) => layers.filter((other) => other.id !== one.id))
                }
              />
            ))}
          </div>
          {view.hit.fit && <LayerFit fit={view.hit.fit} />}
          {layer ? (
            <LayerControls
              layer={layer}
              onChange={(label, change, gesture) =>
                setLayers(label, (layers) => layers.map((one) => (one.id === layer.id ? change(one) : one)), gesture)
              }
            />
          ) : (
            <p className="soft p-3">No layers yet: add a body, a beater or any other sound above.</p>
          )}
          <div className="bench-head">
            <h3>In the loop</h3>
          </div>
          <div className="grid-rulers">
            <Ruler model="Mix" name="kick_gain_db" value={mix.kick_gain_db} onChange={setMix("kick_gain_db")} />
          </div>
        </>
      ) : (
        <>
          <ModelRulers
            model="Bass"
            values={bass}
            tone="bass"
            onChange={(name, value, gesture) =>
              editor.edit(
                `Bass ${bassModel[name]?.title ?? name}`,
                (track) => ({ ...track, bass: { ...track.bass, [name]: value } }),
                gesture,
              )
            }
          />
          <div className="bench-head">
            <h3>In the loop</h3>
          </div>
          <div className="grid-rulers">
            <Ruler
              model="Mix"
              name="bass_gain_db"
              tone="bass"
              value={mix.bass_gain_db}
              onChange={setMix("bass_gain_db")}
            />
          </div>
        </>
      )}
    </>
  );
}
