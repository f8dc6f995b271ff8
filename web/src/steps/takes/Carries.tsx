import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { api } from "../../api/client";
import type { LoadedTake } from "../../api/types";
import { usePlayer } from "../../audio/usePlayer";
import { figure } from "../../controls/figures";
import { useNotices } from "../../frame/notices";
import { useEditor } from "../../queries/editor";
import { carriedQuery, takesQuery } from "../../queries/queries";
import { Share } from "./Share";

/** At this end of its ruler nothing is closed. */
const NO_GATE_DB = 61;
const LEAST_GATE_DB = 10;

/** What a recording carries besides its sounds: told, kept unless asked, taken out with what is taken heard alone. */
export function Carries({ take }: { take: LoadedTake }) {
  const [player] = usePlayer();
  const { track } = useEditor();
  const cache = useQueryClient();
  const { say } = useNotices();
  const carried = useQuery(carriedQuery(take.id));
  const [hum, setHum] = useState(false);
  const [offset, setOffset] = useState(false);
  const [hiss, setHiss] = useState(0);
  const [gate, setGate] = useState(NO_GATE_DB);
  const [trouble, setTrouble] = useState<string | null>(null);
  const found = carried.data;
  const how = { hum, hiss_down_db: hiss, offset, gate_db: gate < NO_GATE_DB ? gate : null };
  const nothing = !hum && !offset && hiss === 0 && how.gate_db === null;
  const failed = (error: unknown) => setTrouble(error instanceof Error ? error.message : String(error));
  const rate = track.sheet.sample_rate;
  const hear = (heard: "left" | "taken") => {
    setTrouble(null);
    void player
      .strike(`cleaned ${take.id} ${JSON.stringify(how)} ${heard} ${rate}`, () =>
        api.cleanedSound(take.id, how, heard, rate),
      )
      .catch(failed);
  };
  const keep = async () => {
    setTrouble(null);
    try {
      const made = await api.clean(take.id, how, `${take.name.slice(0, 32)} cleaned`);
      await cache.invalidateQueries({ queryKey: takesQuery().queryKey });
      const now = await cache.fetchQuery(carriedQuery(made.id));
      const left = now.floor_db == null ? "" : `; it rests at ${figure(now.floor_db, "dB")} now`;
      say({ text: `${made.name} is a take of its own${left}. ${take.name} stays as it is.` });
    } catch (error) {
      failed(error);
    }
  };
  const rests = found?.floor_db != null;
  return (
    <section className="panel" aria-label={`What ${take.name} carries`}>
      <div className="bench-head">
        <h3>What {take.name} carries</h3>
        <span className="soft" role="status">
          {carried.isFetching
            ? "measuring…"
            : found &&
              (rests
                ? `read in the ${figure(found.rests_s, "s")} in which it rests`
                : "it never rests: what it carries cannot be told from what it is")}
        </span>
      </div>
      {(carried.isError || trouble) && <p className="clash-text">{trouble ?? carried.error?.message}</p>}
      {found && (
        <>
          {rests && (
            <section className="figures my-2" aria-label="What it carries">
              <div>
                <span className="mono">{figure(found.floor_db ?? 0, "dB")}</span>
                <span className="soft">all of it, rms re full scale</span>
              </div>
              <div>
                <span className="mono">{found.hum_db == null ? "none" : figure(found.hum_db, "dB")}</span>
                <span className="soft">
                  {found.hum_hz == null
                    ? "hum of the mains"
                    : `hum at ${figure(found.hum_hz, "Hz")}, ${found.partials} ${found.partials === 1 ? "tone" : "tones"}`}
                </span>
              </div>
              <div>
                <span className="mono">{found.hiss_db == null ? "none" : figure(found.hiss_db, "dB")}</span>
                <span className="soft">hiss</span>
              </div>
              <div>
                <span className="mono">{found.offset === 0 ? "none" : figure(100 * found.offset, "%")}</span>
                <span className="soft">offset from zero</span>
              </div>
            </section>
          )}
          <section className="figures my-2" aria-label="What rings around it">
            <div>
              <span className="mono">
                {found.rings.room_ms == null ? "none told" : figure(found.rings.room_ms, "ms")}
              </span>
              <span className="soft">
                {found.rings.room_ms == null
                  ? "room"
                  : `room, to fall by 60 dB; ${figure(found.rings.room_db ?? 0, "dB")} re its impacts`}
              </span>
            </div>
            <div>
              <span className="mono">{found.rings.tails === 0 ? "none" : found.rings.tails}</span>
              <span className="soft">
                {found.rings.tails === 0
                  ? "impacts in a neighbour's tail"
                  : `${found.rings.tails === 1 ? "impact begins" : "impacts begin"} in a neighbour's tail, ${figure(found.rings.tail_db ?? 0, "dB")} re them`}
              </span>
            </div>
          </section>
          {found.rings.small > 0 && (
            <p className="soft small">
              {found.rings.small} small {found.rings.small === 1 ? "event" : "events"} between its strokes, which may
              be its groove: raised, taken out or played by a hit under Strokes.
            </p>
          )}
          <div className="d-flex flex-wrap gap-3 align-items-end">
            <Form.Check
              type="switch"
              id="carries-hum"
              label="Take its hum out"
              disabled={found.hum_db == null}
              checked={hum}
              onChange={() => setHum(!hum)}
            />
            <Form.Check
              type="switch"
              id="carries-offset"
              label="Take its offset out"
              disabled={found.offset === 0}
              checked={offset}
              onChange={() => setOffset(!offset)}
            />
            <div className="field" style={{ width: 170 }}>
              <label htmlFor="carries-hiss">
                Hiss down by <span className="mono">{figure(hiss, "dB")}</span>
              </label>
              <input
                type="range"
                id="carries-hiss"
                min={0}
                max={found.most_down_db}
                step={1}
                value={hiss}
                disabled={found.hiss_db == null}
                onChange={({ target }) => setHiss(Number(target.value))}
              />
            </div>
            <Share
              label="Closes once fallen by"
              value={gate}
              said={gate < NO_GATE_DB ? figure(gate, "dB") : "never"}
              min={LEAST_GATE_DB}
              max={NO_GATE_DB}
              step={1}
              width={200}
              onChange={setGate}
            />
            <button type="button" className="btn btn-plain" disabled={nothing} onClick={() => hear("left")}>
              Hear what is left
            </button>
            <button type="button" className="btn btn-plain" disabled={nothing} onClick={() => hear("taken")}>
              Hear what is taken
            </button>
            <button type="button" className="btn btn-strong" disabled={nothing} onClick={() => void keep()}>
              Keep it cleaned
            </button>
          </div>
          <p className="soft small mb-0 mt-2">
            It may be the groove: nothing is taken out unless it is asked for, and the take itself stays as it is.
          </p>
        </>
      )}
    </section>
  );
}
