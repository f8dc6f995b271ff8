import { BarsChoice } from "../../controls/BarsChoice";
import { ByPass } from "../../controls/ByPass";
import { ModelChoices } from "../../controls/ModelChoices";
import { ModelRulers } from "../../controls/ModelRulers";
import { Ruler } from "../../controls/Ruler";
import { useEditor } from "../../queries/editor";
import { useDefinition } from "../../queries/parameters";
import { BassChain } from "./BassChain";
import { partsOf } from "./bassParts";
import { ChokeChoice } from "./ChokeChoice";
import { LevelLine } from "./LevelLine";

/** The bass: source, start and mid, each with its rulers, and its level in the loop. */
export function BassBench() {
  const editor = useEditor();
  const { bass, mix } = editor.track;
  const definition = useDefinition("Bass");
  const set = (name: string, value: number | string | boolean, gesture?: string) =>
    editor.edit(
      `Bass ${definition[name]?.title ?? name}`,
      (track) => ({ ...track, bass: { ...track.bass, [name]: value } }),
      gesture,
    );
  const parts = partsOf(bass.source, bass.layered);
  return (
    <section aria-label="Bench of the bass">
      <div className="bench-head">
        <h2>Bass</h2>
        <ModelChoices model="Bass" values={bass} onChange={set} />
      </div>
      {bass.source === "recorded line" && (
        <div style={{ width: 180 }}>
          <BarsChoice model="Bass" value={bass.fit_bars} onChange={(bars) => set("fit_bars", bars)} />
        </div>
      )}
      {parts.map((part) => (
        <section key={part.title} aria-label={part.title}>
          <div className="bench-head">
            <h3>{part.title}</h3>
            <span className="soft">{part.help}</span>
          </div>
          <ModelRulers model="Bass" values={bass} only={part.names} tone="bass" onChange={set} />
        </section>
      ))}
      <BassChain />
      <div className="bench-head">
        <h3>In the loop</h3>
      </div>
      <div className="grid-rulers">
        <Ruler
          model="Mix"
          name="bass_gain_db"
          tone="bass"
          value={mix.bass_gain_db}
          onChange={(value, gesture) =>
            editor.edit(
              "Level in the loop",
              (track) => ({ ...track, mix: { ...track.mix, bass_gain_db: value } }),
              gesture,
            )
          }
        />
        <ChokeChoice
          track={editor.track}
          id="bass"
          value={mix.bass_choke}
          onChange={(bass_choke) =>
            editor.edit("Choke group", (track) => ({ ...track, mix: { ...track.mix, bass_choke } }))
          }
        />
        <div className="field">
          <span>The loop without it</span>
          <ByPass of={{ part: "bass", layer: null, stage: null, name: "Bass" }} />
        </div>
      </div>
      <LevelLine part="bass" name="Bass" />
    </section>
  );
}
