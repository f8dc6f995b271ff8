import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { api } from "../api/client";
import type { Carve, Move, View } from "../api/types";
import { usePlayer } from "../audio/usePlayer";
import { Choice } from "../controls/Choice";
import { figure } from "../controls/figures";
import { ModelRulers } from "../controls/ModelRulers";
import { Ruler } from "../controls/Ruler";
import { ClashMapPlot } from "../plots/ClashMapPlot";
import { ClearanceBars } from "../plots/ClearanceBars";
import type { Cell } from "../plots/cells";
import type { ClashLayer } from "../plots/clashPaint";
import { useEditor } from "../queries/editor";
import { useChoices } from "../queries/parameters";
import { clashLayersQuery, separateQuery } from "../queries/queries";
import { AddUp } from "./separate/AddUp";
import { BassLayers } from "./separate/BassLayers";
import { Besides } from "./separate/Besides";
import { CarveOn } from "./separate/CarveOn";
import { KickWays } from "./separate/KickWays";
import { Listen } from "./separate/Listen";
import { LowGroup } from "./separate/LowGroup";
import { Others } from "./separate/Others";
import { Owners } from "./separate/Owners";
import { Pairs } from "./separate/Pairs";
import { Room } from "./separate/Room";
import { Shares } from "./separate/Shares";
import { Steady } from "./separate/Steady";
import { SwapCheck } from "./separate/SwapCheck";
import { Ways } from "./separate/Ways";
import { ZoneShare } from "./separate/ZoneShare";
import { Zones } from "./separate/Zones";

/** How long a cell of the map is heard. */
const HEARD_BEATS = 1;
const MS_A_MINUTE = 60_000;

/** Who is where: clash by band and time, clearance against the goal, the carve on a response chart. */
export function SeparateStep({ view }: { view: View }) {
  const editor = useEditor();
  const [player, playing] = usePlayer();
  const { state, settled } = editor;
  const fresh = settled === state;
  const [held, setHeld] = useState<Move | null>(null);
  const [layer, setLayer] = useState<ClashLayer>("difference");
  const layers = useQuery({ ...clashLayersQuery(settled.id, settled.revision), placeholderData: keepPreviousData });
  const sheet = useQuery({ ...separateQuery(settled.id, settled.revision), placeholderData: keepPreviousData });
  const hear = ({ row, frame }: Cell) => {
    const from = frame * view.clash.frame_beats;
    const before = playing.side === "before";
    void player
      .strike(
        `band ${settled.id} ${settled.revision} ${row} ${from} ${before}`,
        () => api.band(settled.id, settled.revision, row, from, from + HEARD_BEATS, before),
        true,
      )
      .then((end) => setTimeout(end, (HEARD_BEATS * MS_A_MINUTE) / editor.track.sheet.bpm));
  };
  const { carve } = editor.track;
  const { clearance } = view.report;
  const { carve: report } = view.report;
  const { yielder: yields, pre_ring_db: ring } = report;
  const zoned = editor.track.sheet.owner === "zones";
  // The owner is lifted where the other is cut; a pass has nothing to lift.
  const mirrors = !zoned && (carve.moves.length === 0 || carve.moves.some((one) => one.shape !== "high-pass"));
  const phases = useChoices("Carve", "phase") as Carve["phase"][];
  const setCarve = (label: string, change: (now: typeof carve) => typeof carve, gesture?: string) =>
    editor.edit(label, (track) => ({ ...track, carve: change(track.carve) }), gesture);
  return (
    <>
      <div className="bench-head">
        <h2>Separate</h2>
        <span className="soft">
          {clearance.reason ??
            `Kick over bass ${figure(clearance.before_db, "dB")} before, ${figure(clearance.after_db, "dB")} now; goal ${
              clearance.goal_kind === "at_least" ? "at least" : "at most"
            } ${figure(clearance.goal_db, "dB")} up to ${figure(clearance.split_hz, "Hz")}${
              zoned ? ", the zone that lacks most" : ""
            }`}
        </span>
      </div>
      <div style={{ display: "grid", gridTemplateColumns: "minmax(0, 3fr) minmax(0, 2fr)", gap: 14 }}>
        <ClashMapPlot
          clash={view.clash}
          layers={layers.data}
          layer={layer}
          side={playing.side}
          onLayer={setLayer}
          onHear={hear}
        />
        <ClearanceBars bands={clearance.bands} carve={view.carve} />
      </div>
      {zoned && <Zones zones={clearance.zones} />}
      <Besides view={view} />
      {zoned && <ZoneShare />}
      {!zoned && <Shares yields={yields === "kick" ? "kick" : "bass"} />}
      {yields === "bass" && !zoned && (
        <ModelRulers
          model="Carve"
          values={carve}
          only={["depth_limit_db", "lift_limit_db"]}
          tone="room"
          onChange={(name, value, gesture) =>
            setCarve("Limits of the carve", (now) => ({ ...now, [name]: value }), gesture)
          }
        />
      )}
      <CarveOn view={view} part={yields === "kick" ? "kick" : "bass"} onHold={setHeld} />
      {zoned && <CarveOn view={view} part="kick" onHold={setHeld} besides />}
      <Listen view={view} held={held} />
      <div className="d-flex gap-4 align-items-center mt-3">
        <div style={{ flex: "0 0 110px" }}>
          <Choice
            label="Phase"
            value={carve.phase}
            options={phases.map((value) => ({ value, label: value }))}
            onChange={(phase) => setCarve("Carve phase", (now) => ({ ...now, phase }))}
          />
        </div>
        <Form.Check
          type="switch"
          id="floor-on"
          className="text-nowrap"
          label="Floor filter"
          checked={carve.floor_on}
          onChange={() => setCarve("Floor filter", (now) => ({ ...now, floor_on: !now.floor_on }))}
        />
        <div style={{ flex: "1 1 0" }}>
          <Ruler
            model="Carve"
            name="floor_hz"
            tone="room"
            value={carve.floor_hz}
            onChange={(floor_hz, gesture) => setCarve("Floor", (now) => ({ ...now, floor_hz }), gesture)}
          />
        </div>
        {mirrors && (
          <div style={{ flex: "1 1 0" }}>
            <Ruler
              model="Carve"
              name="mirror_pct"
              tone="room"
              value={carve.mirror_pct}
              onChange={(mirror_pct, gesture) =>
                setCarve("Mirror on the owner", (now) => ({ ...now, mirror_pct }), gesture)
              }
            />
          </div>
        )}
      </div>
      <div className="d-flex gap-4 align-items-center mt-2">
        <Form.Check
          type="switch"
          id="kick-pass-on"
          className="text-nowrap"
          label="Kick high-pass"
          checked={carve.kick_pass_on}
          onChange={() => setCarve("Kick high-pass", (now) => ({ ...now, kick_pass_on: !now.kick_pass_on }))}
        />
        <div style={{ flex: "1 1 0" }}>
          <Ruler
            model="Carve"
            name="kick_pass_hz"
            tone="kick"
            value={carve.kick_pass_hz}
            onChange={(kick_pass_hz, gesture) =>
              setCarve("Kick corner", (now) => ({ ...now, kick_pass_hz }), gesture)
            }
          />
        </div>
        <div style={{ flex: "1 1 0" }}>
          <Ruler
            model="Carve"
            name="kick_pass_q"
            tone="kick"
            value={carve.kick_pass_q}
            onChange={(kick_pass_q, gesture) =>
              setCarve("Kick resonance", (now) => ({ ...now, kick_pass_q }), gesture)
            }
          />
        </div>
        <span className="soft small" style={{ flex: "1 1 0" }}>
          {ring !== null &&
            `Linear phase rings ${figure(report.pre_ring_ms, "ms")} ahead of a start, with ${figure(ring, "dB")} of its energy. `}
          Below the floor both low parts roll off; what it wins is under Headroom.
        </span>
      </div>
      {sheet.isError && <p className="clash-text small">This could not be measured: {sheet.error.message}</p>}
      {sheet.data && (
        <>
          {yields === "kick" && <KickWays />}
          <Owners leans={sheet.data.leans} />
          <Ways />
          <AddUp phase={sheet.data.phase} centres={view.clash.centres_hz} fresh={fresh} />
          <Room headroom={sheet.data.headroom} fresh={fresh} />
          <LowGroup />
          <Pairs />
          <Others others={sheet.data.others} fresh={fresh} />
          <BassLayers layers={sheet.data.layers} sides={sheet.data.sides} />
          <Steady evenness={sheet.data.evenness} />
          <SwapCheck />
        </>
      )}
    </>
  );
}
