import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { KICK } from "../../api/parts";
import type { LoadedTake, Role, Track } from "../../api/types";
import { Choice } from "../../controls/Choice";
import { figure } from "../../controls/figures";
import { useNotices } from "../../frame/notices";
import { useWidth } from "../../plots/useWidth";
import { useEditor } from "../../queries/editor";
import { patternQuery } from "../../queries/queries";
import { wavePath } from "../hits/layers";
import { hitsOf } from "../hits/pads";
import { corrected, type Place, pressed, ROWS, type Row, turned, withPattern } from "./written";

const HEIGHT = 64;
const SHOWN_BARS = 4;
const BAR_STEPS = 16;
const NONE = "none";
/** Roles that may play a row, the likeliest first. */
const PLAYS: Record<Row, Role[]> = {
  kick: ["kick"],
  snare: ["snare", "clap"],
  hat: ["hat", "open hat", "percussion"],
};
const EVEN_BPM = 0.05;

/** The part that a row is written to where nothing else is chosen. */
function usual(track: Track, row: Row): string | null {
  if (row === "kick") return KICK;
  for (const role of PLAYS[row]) {
    const found = hitsOf(track).find((one) => one.role === role);
    if (found) return found.id;
  }
  return null;
}

/** Tempo, bar 1 and strokes of a reference loop over its waveform, corrected by click, written to the rows of the track. */
export function PatternPanel({ take }: { take: LoadedTake }) {
  const editor = useEditor();
  const { say } = useNotices();
  const { track } = editor;
  const [bpm, setBpm] = useState<number | null>(null);
  const [changed, setChanged] = useState<Place[]>([]);
  const [from, setFrom] = useState(0);
  const [later, setLater] = useState(0);
  const [played, setPlayed] = useState(false);
  const [tempo, setTempo] = useState(false);
  const [to, setTo] = useState<Partial<Record<Row, string | null>>>({});
  const [follow, width] = useWidth(840);
  const read = useQuery({
    ...patternQuery(take.id, editor.state.track.sheet.bpm, bpm),
    placeholderData: keepPreviousData,
  });
  const view = read.data;
  const pattern = view?.pattern;
  const part = (row: Row) => (to[row] === undefined ? usual(track, row) : (to[row] ?? null));
  const bars = pattern?.bars ?? 0;
  const hits = pattern ? turned(corrected(pattern.hits, changed), later, bars) : [];
  const barOneS = pattern && pattern.bpm > 0 ? pattern.bar_s + (later * 60) / pattern.bpm : 0;
  const shown = Math.min(SHOWN_BARS, bars);
  const first = Math.min(from, Math.max(0, bars - shown));
  const said = !pattern
    ? "reading…"
    : pattern.refused
      ? `Nothing was read: ${pattern.refused}.`
      : [
          figure(pattern.bpm, "BPM"),
          `${bars} ${bars === 1 ? "bar" : "bars"}`,
          `bar 1 at ${figure(1000 * barOneS, "ms")}`,
          `${figure(100 * pattern.fit, "%")} of it on the grid`,
          pattern.bass ? "a bass plays: kicks under it are less sure" : "no bass plays",
        ].join(", ");
  const say_bpm = (next: number) => {
    setBpm(Math.round(next * 1000) / 1000);
    setChanged([]);
    setFrom(0);
    setLater(0);
  };
  const write = () => {
    if (!pattern) return;
    const rows = Object.fromEntries(ROWS.map((row) => [row, part(row)])) as Record<Row, string | null>;
    const label = `Write the pattern of ${take.name}`.slice(0, 78);
    editor.edit(label, (now) => {
      const made = withPattern(now, hits, bars, rows, played);
      return tempo ? { ...made, sheet: { ...made.sheet, bpm: Math.round(pattern.bpm * 100) / 100 } } : made;
    });
    const counts = ROWS.filter((row) => rows[row] !== null).map(
      (row) => `${hits.filter((one) => one.row === row).length} ${row}`,
    );
    say({
      text: `The pattern of ${take.name} is written: ${counts.join(", ")} in ${bars} ${bars === 1 ? "bar" : "bars"}.`,
      undo: editor.undo,
      step: label,
    });
  };
  const full = view ? Math.max(1e-4, ...view.high.map(Math.abs), ...view.low.map(Math.abs)) : 1;
  const barS = pattern && pattern.bpm > 0 ? 240 / pattern.bpm : 1;
  // The waveform under the bars that are shown: its own time from bar 1 on.
  const scale = view ? (width * view.duration_s) / (shown * barS || 1) : 0;
  const left = pattern ? (-width * (barOneS + first * barS)) / (shown * barS || 1) : 0;
  return (
    <section className="panel" aria-label={`Pattern of ${take.name}`}>
      <div className="bench-head">
        <h3>Pattern of {take.name}</h3>
        <span className="soft" role="status">
          {read.isFetching ? "reading…" : said}
        </span>
        <span className="together ms-auto align-items-end">
          <div className="field" style={{ width: 110 }}>
            <label htmlFor="pattern-bpm">Its tempo, BPM</label>
            <input
              id="pattern-bpm"
              className="form-control form-control-sm"
              type="number"
              min={20}
              max={400}
              step={0.01}
              key={pattern?.bpm}
              defaultValue={pattern?.bpm || ""}
              onKeyDown={(event) => {
                event.stopPropagation();
                if (event.key === "Enter") event.currentTarget.blur();
              }}
              onBlur={({ target }) => {
                const next = Number(target.value);
                if (next >= 20 && next <= 400 && next !== pattern?.bpm) say_bpm(next);
              }}
            />
          </div>
          {pattern && !pattern.refused && (
            <>
              <button type="button" className="btn btn-plain" onClick={() => say_bpm(pattern.bpm / 2)}>
                Half
              </button>
              <button type="button" className="btn btn-plain" onClick={() => say_bpm(pattern.bpm * 2)}>
                Double
              </button>
              <button
                type="button"
                className="btn btn-plain"
                onClick={() => setLater((later + 1) % Math.max(1, 4 * bars))}
              >
                Bar 1 a beat later
              </button>
            </>
          )}
        </span>
      </div>
      {read.isError && <p className="clash-text">{read.error.message}</p>}
      <div ref={follow} className="pattern">
        {view && pattern && !pattern.refused && (
          <>
            <svg
              width={width}
              height={HEIGHT}
              role="img"
              aria-label={`Waveform of ${take.name}, bars ${first + 1} to ${first + shown}`}
            >
              <rect width={width} height={HEIGHT} fill="var(--band)" />
              <g transform={`translate(${left.toFixed(1)} 0)`}>
                <path d={wavePath(view.low, view.high, scale, HEIGHT, full)} fill="var(--ink)" />
              </g>
              {Array.from({ length: shown * 4 }, (_, beat) => (
                <line
                  key={beat}
                  x1={(width * beat) / (shown * 4)}
                  x2={(width * beat) / (shown * 4)}
                  y2={HEIGHT}
                  stroke="var(--line)"
                  strokeWidth={beat % 4 ? 1 : 2}
                />
              ))}
            </svg>
            {ROWS.map((row) => (
              <fieldset key={row} className="cells" aria-label={`Strokes of the ${row}`}>
                {Array.from({ length: shown * BAR_STEPS }, (_, at) => {
                  const beats = first * 4 + at / 4;
                  const hit = hits.find((one) => one.row === row && one.at_beats === beats);
                  return (
                    <button
                      key={beats}
                      type="button"
                      aria-pressed={hit !== undefined}
                      aria-label={`${row} at ${Math.floor(beats / 4) + 1}.${Math.floor(beats % 4) + 1}${beats % 1 ? ` and ${(beats % 1) * 4}/16` : ""}`}
                      title={hit ? `strength ${hit.strength}, ${figure(100 * hit.sure, "%")} sure` : undefined}
                      data-beat={beats % 1 === 0 || undefined}
                      style={hit ? { opacity: 0.35 + 0.65 * hit.sure } : undefined}
                      onClick={() => setChanged(pressed(changed, { row, at_beats: (beats + later) % (4 * bars) }))}
                    />
                  );
                })}
                <legend className="soft small">{row}</legend>
              </fieldset>
            ))}
          </>
        )}
      </div>
      {pattern && !pattern.refused && (
        <>
          {bars > shown && (
            <span className="together mt-2">
              <button
                type="button"
                className="btn btn-plain"
                disabled={first === 0}
                onClick={() => setFrom(Math.max(0, first - shown))}
              >
                Earlier bars
              </button>
              <span className="soft">
                bars {first + 1} to {first + shown} of {bars}
              </span>
              <button
                type="button"
                className="btn btn-plain"
                disabled={first + shown >= bars}
                onClick={() => setFrom(first + shown)}
              >
                Later bars
              </button>
            </span>
          )}
          <div className="d-flex flex-wrap gap-3 align-items-end mt-2">
            {ROWS.map((row) => (
              <div key={row} style={{ width: 150 }}>
                <Choice
                  label={`${row} goes to`}
                  value={part(row) ?? NONE}
                  options={[
                    { value: NONE, label: "nothing" },
                    ...hitsOf(track)
                      .filter((one) => one.role !== "context" && one.role !== "rumble")
                      .map((one) => ({ value: one.id, label: one.name })),
                  ]}
                  onChange={(id) => setTo({ ...to, [row]: id === NONE ? null : id })}
                />
              </div>
            ))}
            <Form.Check
              type="switch"
              id="pattern-played"
              label="As it is played, off the grid"
              checked={played}
              onChange={() => setPlayed(!played)}
            />
            {Math.abs(pattern.bpm - track.sheet.bpm) > EVEN_BPM && (
              <Form.Check
                type="switch"
                id="pattern-tempo"
                label={`Take its tempo, ${figure(pattern.bpm, "BPM")}`}
                checked={tempo}
                onChange={() => setTempo(!tempo)}
              />
            )}
            <button
              type="button"
              className="btn btn-strong"
              disabled={editor.busy !== null || read.isFetching || ROWS.every((row) => part(row) === null)}
              onClick={write}
            >
              Write to the rows
            </button>
            <button
              type="button"
              className="btn btn-plain"
              title="Its kicks, snares and hats as parts of their own, each its own slices in turn"
              disabled={editor.busy !== null || read.isFetching}
              onClick={() =>
                editor.send(
                  { kind: "dissect", take: take.id, name: take.name, rows: ROWS, bpm: bpm ?? pattern.bpm },
                  `Take ${take.name} apart`,
                )
              }
            >
              Take it apart
            </button>
          </div>
          <p className="soft small mb-0 mt-2">
            The fainter a stroke, the less sure it is; a click puts one in or takes one out.
          </p>
        </>
      )}
    </section>
  );
}
