import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { api } from "../api/client";
import type { Move, SeparateSheet, View } from "../api/types";
import { usePlayer } from "../audio/usePlayer";
import { BenchTabs } from "../bench/BenchTabs";
import { panelled } from "../bench/benches";
import { figure } from "../controls/figures";
import { Pending } from "../controls/Pending";
import { ClashMapPlot } from "../plots/ClashMapPlot";
import { ClearanceBars } from "../plots/ClearanceBars";
import type { Cell } from "../plots/cells";
import type { ClashLayer } from "../plots/clashPaint";
import { useEditor } from "../queries/editor";
import { clashLayersQuery, separateQuery } from "../queries/queries";
import { AddUp } from "./separate/AddUp";
import { BassLayers } from "./separate/BassLayers";
import { Besides } from "./separate/Besides";
import { CarveFilters, CarveLimits } from "./separate/CarveFilters";
import { CarveMoves } from "./separate/CarveMoves";
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
  const { clearance, carve: report, findings } = view.report;
  const yields = report.yielder === "kick" ? "kick" : "bass";
  const zoned = editor.track.sheet.owner === "zones";
  const measured = (show: (found: SeparateSheet) => ReactNode) =>
    sheet.data ? show(sheet.data) : <Pending found={sheet} doing="Measuring…" failed="This could not be measured" />;
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
      <BenchTabs
        step="separate"
        findings={findings}
        tabs={panelled("separate", {
          room: (
            <>
              <ClashMapPlot
                clash={view.clash}
                layers={layers.data}
                layer={layer}
                side={playing.side}
                onLayer={setLayer}
                onHear={hear}
              />
              <div className="three-abreast">
                <CarveOn view={view} part={yields} onHold={setHeld} />
                {zoned ? <ZoneShare /> : <Shares yields={yields} />}
                <ClearanceBars bands={clearance.bands} carve={view.carve} />
              </div>
              {zoned && <CarveOn view={view} part="kick" onHold={setHeld} besides />}
              {zoned && <Zones zones={clearance.zones} />}
              <Besides view={view} />
              <Listen view={view} held={held} />
            </>
          ),
          moves: (
            <>
              <CarveMoves part={yields} />
              {zoned && <CarveMoves part="kick" besides />}
              {yields === "bass" && !zoned && <CarveLimits />}
              <CarveFilters report={report} zoned={zoned} />
            </>
          ),
          owners: (
            <>
              {measured((found) => (
                <>
                  <Owners leans={found.leans} />
                  {yields === "kick" && <KickWays />}
                </>
              ))}
              <Ways />
              <SwapCheck />
            </>
          ),
          sum: measured((found) => (
            <>
              <AddUp phase={found.phase} centres={view.clash.centres_hz} fresh={fresh} />
              <Room headroom={found.headroom} fresh={fresh} />
            </>
          )),
          others: (
            <>
              <LowGroup />
              <Pairs />
              {measured((found) => (
                <Others others={found.others} fresh={fresh} />
              ))}
            </>
          ),
          bass: measured((found) => (
            <>
              <BassLayers layers={found.layers} sides={found.sides} />
              <Steady evenness={found.evenness} />
            </>
          )),
        })}
      />
    </>
  );
}
