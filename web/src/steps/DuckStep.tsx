import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import type { CompressorRow, Duck, View } from "../api/types";
import { Choice } from "../controls/Choice";
import { figure } from "../controls/figures";
import { ModelRulers } from "../controls/ModelRulers";
import { DuckPlot } from "../plots/DuckPlot";
import { useEditor } from "../queries/editor";
import { useDefinition } from "../queries/parameters";
import { ducksQuery } from "../queries/queries";
import { ByBar } from "./duck/ByBar";
import { Compressor } from "./duck/Compressor";
import { Guards } from "./duck/Guards";
import { Keys } from "./duck/Keys";
import { Lanes, lanesHeight } from "./duck/Lanes";
import { PartOptions } from "./duck/PartOptions";
import { BASS, curveOf, freeParts, partName, withCurve, withTarget } from "./duck/parts";

/** The curve of every ducked part over one key, with the kick it makes room for and the notes it must not swallow. */
export function DuckStep({ view }: { view: View }) {
  const editor = useEditor();
  const definition = useDefinition("Duck");
  const { settled, track } = editor;
  const { sheet } = track;
  const [asked, setAsked] = useState(BASS);
  const [drawn, setDrawn] = useState<CompressorRow | null>(null);
  const measured = useQuery({ ...ducksQuery(settled.id, settled.revision), placeholderData: keepPreviousData });
  const part = curveOf(track, asked) ? asked : BASS;
  const duck = curveOf(track, part) ?? track.duck;
  const found = measured.data?.parts.find((one) => one.part === part);
  const picture = part === BASS ? view.duck : (found?.picture ?? null);
  const name = partName(track, part);
  const setDuck = (label: string, change: Partial<Duck>, gesture?: string) =>
    editor.edit(label, (now) => withCurve(now, part, change), gesture);
  const beatMs = 60000 / sheet.bpm;
  const free = freeParts(track);
  const choose = (id: string) => {
    setAsked(id);
    setDrawn(null);
  };
  const reason = part === BASS ? view.report.clearance.reason : (found?.reason ?? null);
  return (
    <>
      <div className="bench-head">
        <h2>Duck</h2>
        <span className="soft">
          {found?.after_db != null && found.goal_db != null
            ? `kick over ${name.toLowerCase()} ${figure(found.after_db, "dB")}, goal ${figure(found.goal_db, "dB")}`
            : (reason ?? "The key that leaves least time is shown")}
        </span>
        <button
          type="button"
          className="btn btn-strong ms-auto"
          disabled={editor.busy !== null}
          onClick={() =>
            part === BASS
              ? editor.act("duck", "Compute the duck")
              : editor.act("duck-part", `Compute the duck of ${name}`, part)
          }
        >
          Compute duck
        </button>
        <button
          type="button"
          className="btn btn-plain"
          disabled={editor.busy !== null}
          onClick={() => editor.act("ducks", "Compute every duck")}
        >
          Compute all
        </button>
        <Form.Check
          type="switch"
          id="duck-on"
          label="Duck on"
          checked={duck.on}
          onChange={() => setDuck(duck.on ? "Duck off" : "Duck on", { on: !duck.on })}
        />
      </div>
      {/* Their room is there before they are: what is in the hand below must not move. */}
      <div style={{ minHeight: lanesHeight(1 + track.ducking.targets.filter((one) => one.curves.length).length) }}>
        {measured.data && (
          <Lanes parts={measured.data.parts} beats={sheet.bars * 4} chosen={part} onChoose={choose} />
        )}
      </div>
      <div className="d-flex gap-2 align-items-end mb-2">
        <strong>{name}</strong>
        {free.length > 0 && (
          <div style={{ width: 170 }} className="ms-auto">
            <Choice
              label="Duck another part"
              value=""
              options={[
                { value: "", label: "choose a part" },
                ...free.map(({ id, name: of }) => ({ value: id, label: of })),
              ]}
              onChange={(id) => {
                if (!id) return;
                choose(id);
                editor.edit(`Duck ${partName(track, id)}`, (now) => withCurve(now, id, { on: true }));
              }}
            />
          </div>
        )}
        {part !== BASS && (
          <button
            type="button"
            className="btn btn-plain"
            onClick={() => {
              choose(BASS);
              editor.edit(`Do not duck ${name}`, (now) => withTarget(now, part, { curves: [] }));
            }}
          >
            Do not duck {name}
          </button>
        )}
      </div>
      {picture ? (
        <DuckPlot
          picture={picture}
          duck={duck}
          beatMs={beatMs}
          name={name.toLowerCase()}
          other={drawn}
          onChange={(change, gesture) => setDuck("Duck curve", change, gesture)}
        />
      ) : (
        <p className="panel">{reason ?? "Nothing keys this curve: choose another key."}</p>
      )}
      <Keys part={part} curve={duck} />
      {found?.keyed_by_itself && (
        <p className="clash-text small mb-0 mt-1">
          {name} keys its own duck: its own starts are what goes down. Choose another key, unless that is wanted.
        </p>
      )}
      <div className="mt-2">
        <ModelRulers
          model="Duck"
          values={duck}
          tone="room"
          onChange={(ruler, value, gesture) =>
            setDuck(`Duck: ${definition[ruler]?.title ?? ruler}`, { [ruler]: value }, gesture)
          }
        />
      </div>
      <PartOptions part={part} />
      <div className="d-flex gap-3 align-items-end mt-3">
        <div className="field" style={{ width: 190 }}>
          <label htmlFor="recovery">Recovery point in beats after the key</label>
          <Form.Control
            id="recovery"
            size="sm"
            type="number"
            min={0.05}
            max={definition.recovery_beats?.maximum}
            step={0.05}
            placeholder="from the pattern"
            value={duck.recovery_beats ?? ""}
            onChange={(event) => {
              const value = event.target.value === "" ? null : Number(event.target.value);
              const longest = definition.recovery_beats?.maximum ?? sheet.bars * 4;
              if (value === null || (value > 0 && value <= longest))
                setDuck("Recovery point", { recovery_beats: value }, "recovery");
            }}
          />
        </div>
        <span className="soft small">
          Empty: the part's first note after the kick's active part, else 85 % of the way to the next key.
          {picture && (
            <>
              {" "}
              Here that is <span className="mono">{figure(picture.recovery_ms, "ms")}</span>,{" "}
              <span className="mono">{figure(picture.recovery_ms / beatMs, "beats")}</span>.
            </>
          )}
        </span>
      </div>
      {found && <Guards guards={found.guards} />}
      <Compressor key={part} part={part} beatMs={beatMs} shown={drawn?.name ?? null} onShown={setDrawn} />
      {measured.isError && <p className="clash-text small">This could not be measured: {measured.error.message}</p>}
      {part === BASS && measured.data && <ByBar sheet={measured.data} />}
    </>
  );
}
