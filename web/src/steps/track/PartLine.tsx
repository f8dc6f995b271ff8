import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { BASS, othersOf, withPart } from "../../api/parts";
import { Choice } from "../../controls/Choice";
import { figure, pretty } from "../../controls/figures";
import { Pending } from "../../controls/Pending";
import { useEditor } from "../../queries/editor";
import { useDefinition } from "../../queries/parameters";
import { partLineQuery } from "../../queries/queries";
import { partName } from "../duck/duckedParts";
import { doublesOf, lineParts, playedNotes } from "./line";
import { PlayIn } from "./PlayIn";

/** A part's line: the pitch its sound is at, each note as measured, whose line it doubles, and whom it plays in turn with. */
export function PartLine({ part, inKey }: { part: string; inKey: Set<number> }) {
  const editor = useEditor();
  const { settled, state, track } = editor;
  const { bars } = track.sheet;
  const { minimum = 0, maximum = 0 } = useDefinition("Doubling").octaves ?? {};
  const away = Array.from({ length: maximum - minimum + 1 }, (_, at) => minimum + at);
  const others = lineParts(track).filter((one) => one !== part && playedNotes(track, one).length > 0);
  const [with_, setWith] = useState(BASS);
  const [turns, setTurns] = useState<number[] | null>(null);
  const [octaves, setOctaves] = useState(0);
  const ready = settled === state && editor.busy === null;
  const stored = othersOf(settled.track).some((one) => one.id === part);
  const found = useQuery({ ...partLineQuery(settled.id, settled.revision, part), enabled: part !== BASS && stored });
  if (part === BASS) return <PlayIn key={part} part={part} unpitched={false} inKey={inKey} />;
  const name = partName(track, part);
  const doubles = doublesOf(track, part);
  const leader = others.includes(with_) ? with_ : (others[0] ?? BASS);
  // Every second bar is the part's until somebody says otherwise.
  const mine = (turns ?? Array.from({ length: bars }, (_, bar) => bar + 1).filter((bar) => bar % 2 === 0)).filter(
    (bar) => bar <= bars,
  );
  const line = found.data;
  const turn = (bar: number) =>
    setTurns(mine.includes(bar) ? mine.filter((one) => one !== bar) : [...mine, bar].sort((a, b) => a - b));
  return (
    <>
      <section aria-label={`Line of ${name}`} className="mt-2">
        <div className="bench-head">
          <h3>Line of {name}</h3>
          {line && (
            <span className="soft">
              {line.unheard ??
                `its sound is at ${pretty(line.root_name ?? "")} ${figure(line.root_cents, "ct", { sign: true })}, measured: notes are found from there`}
            </span>
          )}
        </div>
        <Pending found={found} doing="Measuring…" failed="Its line could not be measured" />
        {line && line.notes.length > 0 && (
          <table className="plain" aria-label={`Notes of ${name}`}>
            <thead>
              <tr>
                <th>Note</th>
                <th>Times</th>
                <th>Should be</th>
                <th>Measured off</th>
                <th>Not played by</th>
              </tr>
            </thead>
            <tbody>
              {line.notes.map((one) => (
                <tr key={one.note}>
                  <td className="mono">{pretty(one.name)}</td>
                  <td className="mono">{one.count}</td>
                  <td className="mono">{figure(one.frequency_hz, "Hz")}</td>
                  <td className={`mono ${one.off ? "clash-text" : ""}`}>
                    {figure(one.off_cents, "ct", { sign: true })}
                  </td>
                  <td className="soft">{one.not_played_by.join(", ") || "–"}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
        {doubles ? (
          <div className="d-flex gap-2 align-items-center mt-2">
            <span>
              Plays the line of {partName(track, doubles.of)}
              {doubles.octaves ? `, ${doubles.octaves > 0 ? "+" : "−"}${Math.abs(doubles.octaves)} oct` : ""}: what is
              changed there is changed here.
            </span>
            <button
              type="button"
              className="btn btn-plain"
              disabled={!ready}
              title="A copy of its own, to be changed on its own"
              onClick={() =>
                editor.send(
                  { kind: "double-line", part, of: doubles.of, octaves: doubles.octaves, linked: false },
                  "A line of its own",
                )
              }
            >
              Make it its own
            </button>
            <button
              type="button"
              className="btn btn-plain"
              title="Back to the strokes it had before"
              onClick={() =>
                editor.edit("Double no longer", (now) => withPart(now, part, (one) => ({ ...one, doubles: null })))
              }
            >
              Double no longer
            </button>
          </div>
        ) : others.length === 0 ? (
          <p className="soft small mb-0">Nobody else has a line to double or to play in turn with.</p>
        ) : (
          <div className="d-flex flex-wrap gap-2 align-items-end mt-2">
            <Choice
              label="With the line of"
              value={leader}
              options={others.map((one) => ({ value: one, label: partName(track, one) }))}
              onChange={setWith}
            />
            <Choice
              label="Octaves away"
              value={octaves}
              options={away.map((one) => ({
                value: one,
                label: one > 0 ? `+${one}` : String(one).replace("-", "−"),
              }))}
              onChange={setOctaves}
            />
            <button
              type="button"
              className="btn btn-plain"
              disabled={!ready}
              onClick={() =>
                editor.send({ kind: "double-line", part, of: leader, octaves, linked: true }, "Double a line")
              }
            >
              Double it
            </button>
            <fieldset className="field" aria-label={`Bars of ${name}`}>
              <span>Or in turn, {name} in bars</span>
              <span className="together">
                {Array.from({ length: bars }, (_, bar) => bar + 1).map((bar) => (
                  <button
                    key={bar}
                    type="button"
                    className="btn btn-plain mono"
                    aria-label={`Bar ${bar}`}
                    aria-pressed={mine.includes(bar)}
                    onClick={() => turn(bar)}
                  >
                    {bar}
                  </button>
                ))}
              </span>
            </fieldset>
            <button
              type="button"
              className="btn btn-plain"
              disabled={!ready || mine.length === 0}
              onClick={() => editor.send({ kind: "line-in-turn", part, of: leader, bars: mine }, "In turn")}
            >
              Take turns
            </button>
          </div>
        )}
      </section>
      <PlayIn key={part} part={part} unpitched={line?.unheard != null} inKey={inKey} />
    </>
  );
}
