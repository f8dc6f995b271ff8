import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { api } from "../../api/client";
import { BASS, KICK } from "../../api/parts";
import { figure, pretty } from "../../controls/figures";
import { Pending } from "../../controls/Pending";
import { useHeard } from "../../proposals/useHeard";
import { useEditor } from "../../queries/editor";
import { rootsQuery } from "../../queries/queries";
import { partName } from "../duck/duckedParts";
import { barRoots, NAMES, proposed, withRoot } from "./roots";

/** Root of each bar's chord: typed, or proposed from a part and heard against it; the line put on it under every kick. */
export function Roots() {
  const editor = useEditor();
  const { settled, state, track } = editor;
  const { sheet } = track;
  const [from, setFrom] = useState<string | null>(null);
  const parts = track.parts.flatMap((one) => (one.id === KICK ? [] : [one.id]));
  const asked = from !== null && parts.includes(from) ? from : null;
  const found = useQuery({
    ...rootsQuery(settled.id, settled.revision, asked ?? BASS),
    enabled: asked !== null,
  });
  const [strike, trouble] = useHeard();
  const roots = barRoots(sheet);
  const guesses = asked === null ? undefined : found.data;
  const set = (label: string, next: (number | null)[]) =>
    editor.edit(label, (now) => ({ ...now, sheet: { ...now.sheet, roots: next } }));
  const hear = (part: string, heard: (number | null)[]) =>
    strike(`roots ${settled.id} ${settled.revision} ${part} ${heard.join()}`, () =>
      api.rootsHeard(settled.id, settled.revision, part, heard),
    );
  const ready = settled === state && editor.busy === null;
  return (
    <section aria-label="Roots of the bars">
      <div className="bench-head">
        <h3>Roots of the bars</h3>
        <span className="soft">what the chords stand on: for tuning by chords, and the line under the kicks</span>
        <button
          type="button"
          className="btn btn-plain ms-auto text-nowrap"
          disabled={!ready || !roots.some((root) => root !== null)}
          title="A note that begins with a kick goes to its bar's root; where none begins one is put there"
          onClick={() => editor.send({ kind: "line-on-roots" }, "A note on the root under every kick")}
        >
          A root under every kick
        </button>
      </div>
      <div className="d-flex flex-wrap gap-2 mb-2">
        {roots.map((root, bar) => {
          const guess = guesses?.[bar]?.guesses;
          return (
            <div className="field" key={bar} style={{ width: 92 }}>
              <label htmlFor={`root-${bar}`}>Bar {bar + 1}</label>
              <Form.Select
                id={`root-${bar}`}
                size="sm"
                value={root ?? ""}
                onChange={({ target }) =>
                  set(
                    `Root of bar ${bar + 1}`,
                    withRoot(roots, bar, target.value === "" ? null : Number(target.value)),
                  )
                }
              >
                <option value="">–</option>
                {NAMES.map((name, pitch) => (
                  <option key={name} value={pitch}>
                    {pretty(name)}
                  </option>
                ))}
              </Form.Select>
              {guess && (
                <span className="mono small">
                  {guess.length === 0
                    ? "silent"
                    : guess
                        .slice(0, 2)
                        .map((one) => `${pretty(NAMES[one.root] ?? "")} ${figure(100 * one.confidence, "%")}`)
                        .join(" · ")}
                </span>
              )}
            </div>
          );
        })}
      </div>
      <div className="d-flex gap-2 align-items-center">
        <Form.Select
          size="sm"
          aria-label="Part the roots are proposed from"
          style={{ width: 220 }}
          value={asked ?? ""}
          onChange={({ target }) => setFrom(target.value || null)}
        >
          <option value="">Propose them from a part…</option>
          {parts.map((part) => (
            <option key={part} value={part}>
              {partName(track, part)}
            </option>
          ))}
        </Form.Select>
        {asked !== null && guesses && (
          <>
            <button
              type="button"
              className="btn btn-plain"
              disabled={!ready || proposed(guesses).every((root) => root === null)}
              onClick={() => hear(asked, proposed(guesses))}
            >
              Hear them against it
            </button>
            <button
              type="button"
              className="btn btn-plain"
              disabled={proposed(guesses).every((root) => root === null)}
              onClick={() => set(`Roots from ${partName(track, asked)}`, proposed(guesses))}
            >
              Take them
            </button>
          </>
        )}
        {asked !== null && <Pending found={found} doing="Listening…" failed="Its roots could not be read" />}
        {trouble && <span className="clash-text small">{trouble}</span>}
      </div>
    </section>
  );
}
