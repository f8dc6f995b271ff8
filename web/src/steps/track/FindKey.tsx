import { useRef, useState } from "react";
import { Form } from "react-bootstrap";
import { api } from "../../api/client";
import { BASS } from "../../api/parts";
import type { FileKey, Sheet } from "../../api/types";
import { usePlayer } from "../../audio/usePlayer";
import { figure, pretty } from "../../controls/figures";
import { useEditor } from "../../queries/editor";
import { partName } from "../duck/duckedParts";
import { strokeAt } from "../hits/pads";
import { lineParts, withLine } from "./line";
import { proposed } from "./roots";

const HEARD_MS = 8000;

/** Finds the key of a loop or a MIDI file and offers it with its runners-up; nothing is applied by itself. */
export function FindKey() {
  const editor = useEditor();
  const input = useRef<HTMLInputElement>(null);
  const [found, setFound] = useState<{ file: File; key: FileKey } | null>(null);
  const [says, setSays] = useState<string | null>(null);
  const [player] = usePlayer();
  const { sheet } = editor.track;
  const find = async (file: File | undefined) => {
    if (!file) return;
    setFound(null);
    setSays("Listening…");
    try {
      setFound({ file, key: await api.keyOf(file, sheet.a4_hz) });
      setSays(null);
    } catch (error) {
      setSays(error instanceof Error ? error.message : String(error));
    }
  };
  const hear = (file: File, one: FileKey["guesses"][number]) => {
    const a4_hz = found?.key.a4_hz ?? sheet.a4_hz;
    const key = `key ${file.name} ${file.size} ${file.lastModified} ${one.tonic} ${one.scale} ${a4_hz} ${sheet.sample_rate}`;
    void player
      .strike(key, () => api.hearKey(file, { ...sheet, a4_hz }, one), true)
      .then((end) => setTimeout(end, HEARD_MS))
      .catch((error) => setSays(error instanceof Error ? error.message : String(error)));
  };
  const use = (change: Partial<Sheet>, label: string) =>
    editor.edit(label, (track) => ({ ...track, sheet: { ...track.sheet, ...change } }));
  const parts = lineParts(editor.track);
  const [chosen, setChosen] = useState(BASS);
  const part = parts.includes(chosen) ? chosen : BASS;
  const takeLine = ({ line, bars }: FileKey) =>
    editor.edit(`${partName(editor.track, part)} line from a file`, (track) => {
      const notes = line.map((one) => (part === BASS ? one : { ...one, stroke: strokeAt(one.at_beats) }));
      const made = withLine(track, part, notes, true);
      return { ...made, sheet: { ...made.sheet, bars: Math.max(bars, made.sheet.bars) } };
    });
  const takeRoots = ({ roots, bars }: FileKey) =>
    use({ roots: proposed(roots), bars: Math.max(bars, sheet.bars) }, "Roots from a file");
  const a4 = found?.key.a4_hz ?? null;
  return (
    <section className="find-key" aria-label="Find the key">
      <input
        ref={input}
        type="file"
        className="visually-hidden"
        tabIndex={-1}
        accept=".wav,.aif,.aiff,.flac,.ogg,.mp3,.mid,.midi,audio/*"
        aria-label="Loop or MIDI file"
        onChange={(event) => {
          void find(event.target.files?.[0]);
          event.target.value = "";
        }}
      />
      <button type="button" className="btn btn-plain" onClick={() => input.current?.click()}>
        Find the key of a loop or MIDI file
      </button>
      {says && (
        <span className="small" role="status">
          {says}
        </span>
      )}
      {found && (
        <>
          <span className="soft small">
            {found.file.name}
            {found.key.source === "notes" ? `, ${found.key.notes} notes` : ""}:
          </span>
          {found.key.guesses.length === 0 && <span className="small">no notes that agree on a key</span>}
          {found.key.guesses.map((one) => {
            const here = one.tonic === sheet.tonic && one.scale === sheet.scale;
            return (
              <span className="together" key={`${one.tonic} ${one.scale}`}>
                <button
                  type="button"
                  className="btn btn-plain"
                  title="The loop with this key's tonic triad under it"
                  aria-label={`Hear ${pretty(one.tonic)} ${one.scale} with the loop`}
                  onClick={() => hear(found.file, one)}
                >
                  Hear
                </button>
                <button
                  type="button"
                  className="btn btn-plain"
                  aria-pressed={here}
                  title={`Correlation ${one.correlation.toFixed(2)} with the probe-tone profile (Krumhansl & Kessler 1982)`}
                  onClick={() => use({ tonic: one.tonic as Sheet["tonic"], scale: one.scale }, "Key from a file")}
                >
                  {pretty(one.tonic)} {one.scale} <span className="mono">{figure(100 * one.confidence, "%")}</span>
                </button>
              </span>
            );
          })}
          {found.key.line.length > 0 && (
            <span className="together">
              <button
                type="button"
                className="btn btn-plain"
                title="One voice: the lowest of the notes that start together; at most sixteen bars"
                onClick={() => takeLine(found.key)}
              >
                Use its lowest notes as the {part === BASS ? "bass line" : `line of ${partName(editor.track, part)}`}
              </button>
              {parts.length > 1 && (
                <Form.Select
                  size="sm"
                  aria-label="Whose line it becomes"
                  style={{ width: 130 }}
                  value={part}
                  onChange={({ target }) => setChosen(target.value)}
                >
                  {parts.map((one) => (
                    <option key={one} value={one}>
                      {partName(editor.track, one)}
                    </option>
                  ))}
                </Form.Select>
              )}
            </span>
          )}
          {found.key.roots.some((bar) => bar.guesses.length > 0) && (
            <button
              type="button"
              className="btn btn-plain"
              title="What the chords of each bar stand on"
              onClick={() => takeRoots(found.key)}
            >
              Use its roots
            </button>
          )}
          {a4 !== null && found.key.a4_offered && a4 !== sheet.a4_hz && (
            <button
              type="button"
              className="btn btn-plain"
              onClick={() => use({ a4_hz: Math.round(a4 * 10) / 10 }, "A4 from a file")}
            >
              It is tuned to A4 = <span className="mono">{figure(a4, "Hz").replace(/ Hz/, "")}</span> Hz: use it
            </button>
          )}
        </>
      )}
    </section>
  );
}
