import { Form } from "react-bootstrap";
import { bassIsLayers, instrumentOf, withInstrument } from "../../api/parts";
import type { Bass, SeparateSheet } from "../../api/types";
import { ByPass } from "../../controls/ByPass";
import { figure } from "../../controls/figures";
import { ModelRulers } from "../../controls/ModelRulers";
import { useEditor } from "../../queries/editor";
import { Sides } from "./Sides";

const NAMES: Record<string, string> = { sub: "Sub", source: "Source", mid: "Mid", start: "Start" };

interface Props {
  layers: SeparateSheet["layers"];
  sides: SeparateSheet["sides"];
}

/** The bass as one sound or in layers: what each layer is, its level, and where it stays mono. */
export function BassLayers({ layers, sides }: Props) {
  const editor = useEditor();
  const bass = instrumentOf(editor.track);
  const set = (label: string, change: Partial<Bass>, gesture?: string) =>
    editor.edit(label, (track) => withInstrument(track, change), gesture);
  // As one sound its low end is the source's own, and there is no level to take out.
  const byPassed = (layer: string) => !own && (bass.layered || layer === "mid" || layer === "start");
  const own = bassIsLayers(editor.track);
  const made = bass.source !== "recorded line" && !own;
  const levels = (bass.layered && !own ? ["sub_db", "upper_db"] : []).concat(made ? ["mid_db", "blip_db"] : []);
  return (
    <section aria-label="Bass in layers">
      <div className="bench-head">
        <h3>Bass in layers</h3>
        {!own && (
          <Form.Check
            type="switch"
            id="bass-layered"
            className="text-nowrap"
            label="In layers"
            checked={bass.layered}
            onChange={() => set(bass.layered ? "Bass as one sound" : "Bass in layers", { layered: !bass.layered })}
          />
        )}
        <span className="soft">
          {own
            ? "layers of its own, with bands and chains, on its bench; below the mono corner both sides are one"
            : bass.layered
              ? "a plain sub below the crossover, the source above it; below the mono corner both sides are one"
              : "one sound, low end and harmonics together; in layers the sub is plain and has its own level"}
        </span>
      </div>
      <ModelRulers
        model="Bass"
        values={bass}
        only={[...(bass.layered && !own ? ["cross_hz"] : []), ...levels, "width_pct", "mono_below_hz"]}
        tone="bass"
        onChange={(name, value, gesture) => set("Bass layer", { [name]: value }, gesture)}
      />
      {layers.length > 0 && (
        <table className="plain mt-2" aria-label="Layers of the bass">
          <thead>
            <tr>
              <th>Layer</th>
              <th>Lies from</th>
              <th>to</th>
              <th>Peak</th>
              <th>Loudness</th>
              <th>
                <span className="visually-hidden">By-pass</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {layers.map((one) => (
              <tr key={one.name}>
                <td>{NAMES[one.name] ?? one.name}</td>
                <td className="mono">{figure(one.from_hz, "Hz")}</td>
                <td className="mono">{figure(one.to_hz, "Hz")}</td>
                <td className="mono">{figure(one.peak_db, "dBFS")}</td>
                <td className="mono">{figure(one.loudness_lufs, "LUFS")}</td>
                <td className="right">
                  {byPassed(one.name) && (
                    <ByPass
                      of={{
                        part: "bass",
                        layer: one.name,
                        stage: null,
                        name: `${NAMES[one.name] ?? one.name} of the bass`,
                      }}
                    />
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <Sides sides={sides} />
    </section>
  );
}
