import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { api } from "../../api/client";
import type { DrumStrokes, ListedTake, Rework, RowEvenness } from "../../api/types";
import { Choice } from "../../controls/Choice";
import { figure } from "../../controls/figures";
import { useNotices } from "../../frame/notices";
import { useWidth } from "../../plots/useWidth";
import { useEditor } from "../../queries/editor";
import { reworkedQuery, strokesQuery } from "../../queries/queries";
import { handOver } from "../../queries/useDownload";
import { useSettled } from "../../queries/useSettled";
import { hitsOf } from "../hits/pads";
import { Share } from "./Share";
import { Between, StrokesDrawn } from "./StrokesDrawn";
import { useAsked } from "./useAsked";

const RESTED_MS = 200;
const NONE = "none";
const GRID = "grid";
const PLAIN: Rework = {
  row: "all",
  level_pct: 0,
  landing_pct: 0,
  length_pct: 0,
  small_db: 0,
  small: null,
  under: null,
  timed_pct: 0,
  groove: null,
  bpm: null,
  by: null,
  share_pct: 40,
  aligned: true,
};
const pct = (value: number) => figure(value, "%");

/** A row's choice: what there is of it. */
const rowName = (row: Rework["row"], found: DrumStrokes | undefined) =>
  row === "all" ? "everything" : `${row}: ${found?.counts[row] ?? 0}`;

/** Whether a small event is meant: all are where none is chosen. */
const meant = (how: Rework, number: number) => how.small === null || how.small.includes(number);

/** How even a row is, in words. */
function evenSaid(even: RowEvenness): string {
  const told = [
    even.level_db == null ? null : `level ±${figure(even.level_db, "dB")}`,
    even.landing_cents == null ? null : `landing ±${figure(even.landing_cents, "cents")}`,
    even.length_pct == null ? null : `length ±${figure(even.length_pct, "%")}`,
  ].filter(Boolean);
  return told.length ? told.join(", ") : "too few strokes to say how even they are";
}

/** A recorded drum part worked over stroke by stroke: evened, re-timed, silenced, replaced; heard, then kept beside the take. */
export function StrokesPanel({ take, all }: { take: ListedTake; all: ListedTake[] }) {
  const { state, track } = useEditor();
  const { say } = useNotices();
  const [how, setHow] = useState<Rework>(PLAIN);
  const [follow, width] = useWidth(840);
  const { trouble, hear, keep, failed } = useAsked();
  const seen = useQuery({
    ...strokesQuery(take.id, how.row, track.sheet.bpm),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const set = (change: Partial<Rework>) => setHow({ ...how, ...change });
  const nothing =
    !(how.level_pct || how.landing_pct || how.length_pct || how.small_db || how.timed_pct) && !how.under && !how.by;
  const rested = useSettled(how, false, RESTED_MS);
  const made = useQuery({
    ...reworkedQuery(state.id, state.revision, take.id, rested),
    enabled: !nothing && seen.isSuccess,
    placeholderData: keepPreviousData,
    retry: false,
  });
  const found = seen.data;
  const after = nothing ? undefined : made.data;
  const rate = track.sheet.sample_rate;
  const parts = hitsOf(track).filter((one) => one.role !== "context" && one.role !== "rumble");
  const others = [{ value: NONE, label: "nothing" }, ...parts.map((one) => ({ value: one.id, label: one.name }))];
  const outliers = (after?.even ?? found?.even)?.strokes.filter((one) => one.out.length) ?? [];
  const small = found?.strokes.filter((one) => one.incidental) ?? [];
  const timed = found && !found.untimed;
  const hearStroke = ({ at_s: begin_s, end_s }: { at_s: number; end_s: number }) =>
    hear(`take ${take.id} ${begin_s} ${end_s} ${rate}`, () => api.impactSound(take.id, { begin_s, end_s }, rate));
  const keepIt = () =>
    keep(
      () => api.rework(state.id, take.id, how, `${take.name.slice(0, 30)} worked`),
      (kept) => say({ text: `${kept.name} is a take of its own. ${take.name} stays as it is.` }),
    );
  const midi = async () => {
    try {
      const file = await api.reworkedMidi(state.id, take.id, how);
      const name = `${take.name}.mid`;
      handOver(new Blob([file], { type: "audio/midi" }), name);
      say({ text: `${name} is handed to your browser.` });
    } catch (error) {
      failed(error);
    }
  };
  const failure = trouble ?? seen.error?.message ?? (nothing ? undefined : made.error?.message);
  return (
    <section className="panel" aria-label={`Strokes of ${take.name}`}>
      <div className="bench-head">
        <h3>Strokes of {take.name}</h3>
        <span className="soft" role="status">
          {seen.isFetching
            ? "finding and measuring…"
            : found &&
              `${found.strokes.length} strokes, ${small.length} small between them; ${found.untimed ? "no tempo in it" : figure(found.bpm ?? 0, "BPM")}${found.bass ? "; a bass plays: what is done to the kick is done to its lows too" : ""}`}
        </span>
        <div style={{ width: 150 }} className="ms-auto">
          <Choice
            label="Row"
            value={how.row}
            options={(["all", "kick", "snare", "hat"] as const).map((row) => ({
              value: row,
              label: rowName(row, found),
            }))}
            onChange={(row) => set({ row })}
          />
        </div>
      </div>
      {failure && <p className="clash-text">{failure}</p>}
      <div ref={follow}>
        {found && (
          <StrokesDrawn
            name={take.name}
            found={found}
            after={after}
            row={how.row}
            width={width}
            onHear={hearStroke}
          />
        )}
      </div>
      {found && (
        <>
          <p className="mono my-2">
            {evenSaid(found.even)}
            {after && ` → ${evenSaid(after.even)}`}
          </p>
          {outliers.length > 0 && (
            <p className="soft small mb-1">
              Furthest off:{" "}
              {outliers
                .map((one) => `stroke ${one.number} at ${figure(one.at_s, "s")} in ${one.out.join(" and ")}`)
                .join("; ")}
              .
            </p>
          )}
          <fieldset className="work-line">
            <legend>Even</legend>
            <Share
              label="Levels"
              value={how.level_pct}
              said={pct(how.level_pct)}
              onChange={(level_pct) => set({ level_pct })}
            />
            <Share
              label="Landings"
              value={how.landing_pct}
              said={pct(how.landing_pct)}
              disabled={found.even.landing_cents == null}
              onChange={(landing_pct) => set({ landing_pct })}
            />
            <Share
              label="Longer ones shorter"
              value={how.length_pct}
              said={pct(how.length_pct)}
              disabled={found.even.length_pct == null}
              onChange={(length_pct) => set({ length_pct })}
            />
          </fieldset>
          {small.length > 0 && (
            <fieldset className="work-line">
              <legend>Between</legend>
              <Share
                label="Small events"
                value={how.small_db}
                said={how.small_db <= found.gone_db ? "taken out" : figure(how.small_db, "dB", { sign: true })}
                min={found.gone_db}
                max={found.loudest_db}
                step={1}
                onChange={(small_db) => set({ small_db })}
              />
              <Between take={take} found={found} small={small.filter((one) => meant(how, one.number))} />
              <ul className="small-events" aria-label="Small events">
                {small.map((one) => (
                  <li key={one.number}>
                    <button
                      type="button"
                      className="btn btn-plain"
                      aria-pressed={meant(how, one.number)}
                      title="Pressed: meant by what stands before"
                      onClick={() => {
                        const now = how.small ?? small.map((each) => each.number);
                        const without = now.filter((each) => each !== one.number);
                        set({ small: without.length < now.length ? without : [...now, one.number] });
                      }}
                    >
                      <span className="visually-hidden">Small event at </span>
                      <span className="mono">
                        {figure(one.at_s, "s")} {figure(one.level_db, "dB")}
                      </span>
                    </button>
                    <button type="button" className="btn btn-plain" onClick={() => hearStroke(one)}>
                      <span className="visually-hidden">Hear the small event at {figure(one.at_s, "s")}</span>
                      <span aria-hidden="true">▸</span>
                    </button>
                  </li>
                ))}
              </ul>
            </fieldset>
          )}
          <fieldset className="work-line">
            <legend>Time</legend>
            <Share
              label="Moved by"
              value={how.timed_pct}
              said={pct(how.timed_pct)}
              disabled={!timed}
              onChange={(timed_pct) => set({ timed_pct })}
            />
            <div style={{ width: 170 }}>
              <Choice
                label="Moved to"
                value={how.groove ?? GRID}
                options={[
                  { value: GRID, label: "the grid" },
                  ...all
                    .filter((one) => one.id !== take.id)
                    .map((one) => ({ value: one.id, label: `groove of ${one.name}` })),
                ]}
                disabled={!timed}
                onChange={(id) => set({ groove: id === GRID ? null : id })}
              />
            </div>
            <div style={{ width: 170 }}>
              <Choice
                label={how.row === "all" ? "Silent where it plays" : `The ${how.row} silent where it plays`}
                value={how.under ?? NONE}
                options={others}
                disabled={!timed}
                onChange={(id) => set({ under: id === NONE ? null : id })}
              />
            </div>
          </fieldset>
          <fieldset className="work-line">
            <legend>Replace</legend>
            <div style={{ width: 150 }}>
              <Choice
                label="Replaced by"
                value={how.by ?? NONE}
                options={others}
                onChange={(id) => set({ by: id === NONE ? null : id })}
              />
            </div>
            <Share
              label="Old to new"
              value={how.share_pct}
              said={pct(how.share_pct)}
              width={170}
              disabled={!how.by}
              onChange={(share_pct) => set({ share_pct })}
            />
            <Form.Check
              type="switch"
              id={`fitted-${take.id}`}
              label="Fit each stroke"
              title="Moved by up to 2 ms and turned where it adds to the old one"
              checked={how.aligned}
              disabled={!how.by || how.share_pct === 100}
              onChange={() => set({ aligned: !how.aligned })}
            />
          </fieldset>
          {after && (
            <p className="soft small mt-2 mb-0" role="status">
              {after.done.join("; ") || "nothing"}. Besides:{" "}
              {after.changed
                .map((one) => `${one.band} ${one.by_db == null ? "silent" : figure(one.by_db, "dB", { sign: true })}`)
                .join(", ")}
              ; peak {figure(after.peak_db, "dBTP")}.
            </p>
          )}
          {after && after.played.length > 0 && (
            <details className="small">
              <summary>Each stroke that is played</summary>
              <ol className="played" aria-label="Strokes that are played">
                {after.played.map((one) => (
                  <li key={one.at_s} className="mono">
                    {figure(one.at_s, "s")}, velocity {one.velocity}
                    {one.offset_ms ? `, ${figure(one.offset_ms, "ms", { sign: true })}` : ""}
                    {one.turned ? ", turned" : ""}
                  </li>
                ))}
              </ol>
            </details>
          )}
          <div className="bench-head mt-2">
            <button
              type="button"
              className="btn btn-plain"
              onClick={() => hear(`take ${take.id} ${rate}`, () => api.takeSound(take.id, 0, rate))}
            >
              Hear it as it is
            </button>
            <button
              type="button"
              className="btn btn-plain"
              disabled={nothing || made.isError}
              onClick={() =>
                hear(`reworked ${state.revision} ${take.id} ${JSON.stringify(how)} ${rate}`, () =>
                  api.reworkedSound(state.id, take.id, how, rate),
                )
              }
            >
              Hear it worked over
            </button>
            <button
              type="button"
              className="btn btn-strong"
              disabled={nothing || made.isError}
              onClick={() => void keepIt()}
            >
              Keep it worked over
            </button>
            <button type="button" className="btn btn-plain" onClick={() => void midi()}>
              Its strokes as MIDI
            </button>
            <span className="soft small">What replaces a stroke is as loud as what it replaces, at every share.</span>
          </div>
        </>
      )}
    </section>
  );
}
