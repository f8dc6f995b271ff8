import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { BASS } from "../api/parts";
import type { CompressorRow, Duck, KeyedCompressor, View } from "../api/types";
import { BenchTabs } from "../bench/BenchTabs";
import { panelled } from "../bench/benches";
import { figure } from "../controls/figures";
import { ModelRulers } from "../controls/ModelRulers";
import { DuckPlot } from "../plots/DuckPlot";
import { asPoints, gripsOf, pinsOf, turnsOf } from "../plots/duckShape";
import { useEditor } from "../queries/editor";
import { useDefinition } from "../queries/parameters";
import { ducksQuery } from "../queries/queries";
import { ByBar } from "./duck/ByBar";
import { Compressor } from "./duck/Compressor";
import { Driven } from "./duck/Driven";
import { curvesOf, duckedOf, duckedParts, firstCurve, partName, withCurve } from "./duck/duckedParts";
import { Featured } from "./duck/Featured";
import { Guards } from "./duck/Guards";
import { Keys } from "./duck/Keys";
import { Lanes, lanesHeight } from "./duck/Lanes";
import { Orders } from "./duck/Orders";
import { PartBar } from "./duck/PartBar";
import { PartOptions } from "./duck/PartOptions";
import { Points } from "./duck/Points";
import { Print } from "./duck/Print";
import { Recovery } from "./duck/Recovery";
import { Returns } from "./duck/Returns";

/** The curve of every ducked part over one key, with the kick it makes room for and the notes it must not swallow. */
export function DuckStep({ view }: { view: View }) {
  const editor = useEditor();
  const definition = useDefinition("Duck");
  const { settled, track } = editor;
  const { sheet } = track;
  const [asked, setAsked] = useState(BASS);
  const [curve, setCurve] = useState(0);
  const [snap, setSnap] = useState(false);
  const [drawn, setDrawn] = useState<CompressorRow | null>(null);
  const measured = useQuery({ ...ducksQuery(settled.id, settled.revision), placeholderData: keepPreviousData });
  const part = duckedParts(track).includes(asked) ? asked : BASS;
  const follows = duckedOf(track, part)?.follows ?? null;
  const every = curvesOf(track, part);
  const source = follows ?? part;
  const curves = follows ? curvesOf(track, source) : every;
  const index = follows ? 0 : Math.min(curve, Math.max(0, every.length - 1));
  const duck = curves[index] ?? firstCurve(track);
  const found = measured.data?.parts.find((one) => one.part === part);
  const picture = part === BASS && index === 0 ? view.duck : (found?.pictures[index] ?? null);
  const name = partName(track, part);
  const setDuck = (label: string, change: Partial<Duck>, gesture?: string) =>
    editor.edit(label, (now) => withCurve(now, part, change, index), gesture);
  const setCompressor = (change: Partial<KeyedCompressor>, gesture?: string) =>
    setDuck("Compressor", { compressor: { ...duck.compressor, ...change } }, gesture);
  const beatMs = 60000 / sheet.bpm;
  const choose = (id: string) => {
    setAsked(id);
    setCurve(0);
    setDrawn(null);
  };
  const reason = part === BASS ? view.report.clearance.reason : (found?.reason ?? null);
  const driven = duck.drive === "compressor";
  const locked = follows !== null;
  const own = !locked && index === 0;
  const pins =
    found && picture && index === 0
      ? pinsOf(driven ? turnsOf(duck.compressor.early_ms, picture) : gripsOf(duck), found.guards, track.limits, {
          beats: picture.stroke_beats,
          beatMs,
          startMs: picture.start_ms,
          endMs: picture.end_ms,
          recoveryMs: picture.recovery_ms,
          loopBeats: sheet.bars * 4,
        })
      : [];
  return (
    <>
      <div className="bench-head">
        <h2>Duck</h2>
        <span className="soft">
          {found?.after_db != null && found.goal_db != null
            ? found.at_most
              ? `kick over bass ${figure(found.after_db, "dB")}, goal at most ${figure(found.goal_db, "dB")}`
              : `${found.owner.toLowerCase()} over ${name.toLowerCase()} ${figure(found.after_db, "dB")}, goal ${figure(found.goal_db, "dB")}`
            : (reason ?? "The key that leaves least time is shown")}
        </span>
        <button
          type="button"
          className="btn btn-strong ms-auto"
          disabled={editor.busy !== null || locked}
          onClick={() =>
            part === BASS
              ? editor.send({ kind: "duck" }, "Compute the duck")
              : editor.send({ kind: "part-duck", part }, `Compute the duck of ${name}`)
          }
        >
          Compute duck
        </button>
        <button
          type="button"
          className="btn btn-plain"
          disabled={editor.busy !== null}
          onClick={() => editor.send({ kind: "ducks" }, "Compute every duck")}
        >
          Compute all
        </button>
        <Form.Check
          type="switch"
          id="duck-on"
          label="Duck on"
          disabled={locked}
          checked={duck.on}
          onChange={() => setDuck(duck.on ? "Duck off" : "Duck on", { on: !duck.on })}
        />
      </div>
      {/* Their room is there before they are: what is in the hand below must not move. */}
      <div style={{ minHeight: lanesHeight(duckedParts(track).length) }}>
        {measured.data && (
          <Lanes
            parts={measured.data.parts}
            beats={sheet.bars * 4}
            chosen={part}
            jumpLu={track.limits.level_jump_lu}
            onChoose={choose}
          />
        )}
      </div>
      <PartBar part={part} index={index} found={found} onPart={choose} onIndex={setCurve} />
      <BenchTabs
        step="duck"
        findings={view.report.findings}
        tabs={panelled("duck", {
          curve: (
            <>
              {picture ? (
                <DuckPlot
                  picture={picture}
                  duck={duck}
                  beatMs={beatMs}
                  name={name.toLowerCase()}
                  other={drawn}
                  neededDb={found?.needed_db ?? null}
                  pins={pins}
                  snap={snap}
                  ahead={curvesOf(settled.track, source)[index] !== duck}
                  several={curves.length > 1}
                  locked={locked}
                  onChange={(change, gesture) => setDuck("Duck curve", change, gesture)}
                />
              ) : (
                <p className="panel">{reason ?? "Nothing keys this curve: choose another key."}</p>
              )}
              {picture && !driven && (
                <div className="d-flex gap-3 align-items-center mt-1 flex-wrap">
                  <Form.Check
                    type="switch"
                    id="duck-snap"
                    label="Snap to note values"
                    checked={snap}
                    onChange={() => setSnap(!snap)}
                  />
                  {!locked && (
                    <button
                      type="button"
                      className="btn btn-plain"
                      onClick={() =>
                        duck.drawn.length > 0
                          ? setDuck("Curve by its rulers", { drawn: [] })
                          : setDuck("Draw the curve", { drawn: asPoints(duck) })
                      }
                    >
                      {duck.drawn.length > 0 ? "Back to rulers" : "Draw by points"}
                    </button>
                  )}
                  {!locked && duck.fitted && index === 0 && (
                    <Form.Check
                      type="switch"
                      id="duck-refit"
                      label={definition.refit?.title}
                      title={definition.refit?.description}
                      checked={duck.refit}
                      onChange={() => setDuck("Fit again by itself", { refit: !duck.refit })}
                    />
                  )}
                  {found?.by_hand && (
                    <span className="small soft">changed by hand since it was computed: it stays as it is</span>
                  )}
                </div>
              )}
              {!locked && driven && (
                <Driven
                  one={duck.compressor}
                  found={found}
                  onChange={setCompressor}
                  onCurve={() => setDuck("Curve in place of the compressor", { drive: "curve" })}
                />
              )}
              {!locked && !driven && duck.drawn.length === 0 && (
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
              )}
            </>
          ),
          key: (
            <>
              {!locked && <Keys part={part} index={index} curve={duck} />}
              {found?.keyed_by_itself && (
                <p className="clash-text small mb-0 mt-1">
                  {name} keys its own duck: its own starts are what goes down. Choose another key, unless that is
                  wanted.
                </p>
              )}
              <PartOptions part={part} found={found} />
              {!locked && (
                <Recovery
                  duck={duck}
                  recoveryMs={picture?.recovery_ms ?? null}
                  beatMs={beatMs}
                  onChange={(recovery_beats) => setDuck("Recovery point", { recovery_beats }, "recovery")}
                />
              )}
              {locked && <p className="soft small">It follows another part: what keys that one keys it too.</p>}
            </>
          ),
          guards: (
            <>
              {picture && !driven && <Points duck={duck} recoveryMs={picture.recovery_ms} beatMs={beatMs} />}
              {found && <Guards guards={found.guards} />}
              {part === BASS && measured.data && <ByBar sheet={measured.data} />}
            </>
          ),
          ways: (
            <>
              {own && <Returns key={`returns ${part}`} part={part} beatMs={beatMs} />}
              {part === BASS && <Orders />}
              {!own && part !== BASS && NO_OWN}
            </>
          ),
          compressor: own ? (
            <Compressor
              key={part}
              part={part}
              beatMs={beatMs}
              shown={drawn?.name ?? null}
              used={driven ? duck.compressor : null}
              onShown={setDrawn}
              onUse={(row) =>
                setDuck("Compressor in place of the curve", {
                  on: true,
                  drive: "compressor",
                  compressor: {
                    ...row.settings,
                    make_up: duck.compressor.make_up,
                    make_up_db: duck.compressor.make_up_db,
                  },
                })
              }
            />
          ) : (
            NO_OWN
          ),
          featured: <Featured />,
          print: <Print />,
        })}
      />
      {measured.isError && <p className="clash-text small">This could not be measured: {measured.error.message}</p>}
    </>
  );
}

const NO_OWN = <p className="soft">Only a part's first curve of its own is weighed here: choose it above.</p>;
