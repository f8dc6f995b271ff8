import { Form } from "react-bootstrap";
import type { Sheet, View } from "../api/types";
import { BenchTabs } from "../bench/BenchTabs";
import { panelled } from "../bench/benches";
import { Choice } from "../controls/Choice";
import { figure, pretty } from "../controls/figures";
import { Ruler } from "../controls/Ruler";
import { OWNERS } from "../frame/TopBar";
import { useEditor } from "../queries/editor";
import { useDefinition } from "../queries/parameters";
import { LoadButton } from "../takes/LoadButton";
import { Zones } from "./separate/Zones";
import { BeatGrid } from "./track/BeatGrid";
import { Context } from "./track/Context";
import { FindKey } from "./track/FindKey";
import { KickLoop } from "./track/KickLoop";
import { Roots } from "./track/Roots";

/** Key, tempo, owner, pattern and bass line; what the tempo means in ms. */
export function TrackStep({ view }: { view: View }) {
  const editor = useEditor();
  const { track } = editor;
  const { sheet } = track;
  const definition = useDefinition("Sheet");
  const set = <K extends keyof Sheet>(name: K, label: string) => {
    return (value: Sheet[K], gesture?: string) =>
      editor.edit(label, (now) => ({ ...now, sheet: { ...now.sheet, [name]: value } }), gesture);
  };
  const choices = (name: string, label: (value: string) => string) =>
    (definition[name]?.enum ?? []).map((value) => ({ value: value as never, label: label(String(value)) }));
  return (
    <>
      <div className="bench-head">
        <h2>Track</h2>
        <span className="soft">What every other step follows</span>
        <span className="ms-auto">
          <LoadButton />
        </span>
      </div>
      <div className="track-line">
        <Choice label="Key" value={sheet.tonic} options={choices("tonic", pretty)} onChange={set("tonic", "Key")} />
        <Choice
          label="Scale"
          value={sheet.scale}
          options={choices("scale", String)}
          onChange={set("scale", "Scale")}
        />
        <Ruler model="Sheet" name="bpm" value={sheet.bpm} tone="room" onChange={set("bpm", "Tempo")} />
        <Choice
          label="Bars"
          value={sheet.bars}
          options={Array.from({ length: definition.bars?.maximum ?? sheet.bars }, (_, i) => ({
            value: i + 1,
            label: String(i + 1),
          }))}
          onChange={set("bars", "Bars")}
        />
      </div>
      <BenchTabs
        step="track"
        findings={view.report.findings}
        tabs={panelled("track", {
          pattern: (
            <>
              <BeatGrid rungs={view.strip.rungs} />
              <KickLoop />
            </>
          ),
          chords: <Roots />,
          sheet: (
            <>
              <div className="grid-rulers" style={{ gridTemplateColumns: "repeat(auto-fill, minmax(190px, 1fr))" }}>
                <div className="field">
                  <label htmlFor="track-name">Name</label>
                  <Form.Control
                    id="track-name"
                    size="sm"
                    maxLength={80}
                    value={track.name}
                    onChange={(event) => {
                      const name = event.target.value;
                      if (name) editor.edit("Rename", (now) => ({ ...now, name }), "rename");
                    }}
                  />
                </div>
                <Choice
                  label="Who owns the sub"
                  value={sheet.owner}
                  options={choices("owner", (value) => OWNERS[value] ?? value)}
                  onChange={set("owner", "Sub owner")}
                />
                <Choice
                  label="Room is made by"
                  value={track.carve.order}
                  options={[
                    { value: "carve first", label: "Carve first, duck the rest" },
                    { value: "duck first", label: "Duck first, carve the rest" },
                  ]}
                  onChange={(order) =>
                    editor.send({ kind: "order", order }, order === "duck first" ? "Duck first" : "Carve first")
                  }
                />
                <Choice
                  label="Middle C is called"
                  value={sheet.middle_c}
                  options={choices("middle_c", String)}
                  onChange={set("middle_c", "Octave names")}
                />
                <Choice
                  label="Sample rate"
                  value={sheet.sample_rate}
                  options={choices("sample_rate", (value) => `${Number(value) / 1000} kHz`)}
                  onChange={set("sample_rate", "Sample rate")}
                />
              </div>
              <div className="grid-rulers mt-3" style={{ gridTemplateColumns: "1fr 1fr" }}>
                <Ruler
                  model="Sheet"
                  name="a4_hz"
                  value={sheet.a4_hz}
                  tone="room"
                  onChange={set("a4_hz", "Concert pitch")}
                />
                <Ruler
                  model="Sheet"
                  name="swing_pct"
                  value={sheet.swing_pct}
                  tone="room"
                  onChange={set("swing_pct", "Swing")}
                />
              </div>
              {sheet.owner === "zones" && <Zones zones={view.report.clearance.zones} />}
              <FindKey />
            </>
          ),
          rest: <Context />,
          tempo: <TempoTable view={view} />,
        })}
      />
    </>
  );
}

function TempoTable({ view }: { view: View }) {
  const { tempo_table, sheet } = view.report;
  const names = [...new Set(tempo_table.map((row) => row.name))];
  const forms = [...new Set(tempo_table.map((row) => row.form))];
  const cell = (name: string, form: string) => tempo_table.find((row) => row.name === name && row.form === form);
  return (
    <>
      <div className="bench-head">
        <h3>What the tempo means</h3>
        <span className="soft">
          longest kick on every beat that is not cut:{" "}
          <span className="mono">{figure(sheet.longest_uncut_kick_ms, "ms")}</span>
        </span>
      </div>
      <table className="plain">
        <thead>
          <tr>
            <th>Note value</th>
            {forms.map((form) => (
              <th key={form}>{form}</th>
            ))}
            <th>Straight in beats</th>
            <th>Rate</th>
          </tr>
        </thead>
        <tbody>
          {names.map((name) => (
            <tr key={name}>
              <td className="mono">{name}</td>
              {forms.map((form) => (
                <td key={form} className="mono">
                  {figure(cell(name, form)?.ms, "ms")}
                </td>
              ))}
              <td className="mono">{cell(name, "straight")?.beats}</td>
              <td className="mono">{figure(cell(name, "straight")?.hz, "Hz")}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
