import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { figure } from "../../controls/figures";
import { barBeat } from "../../plots/axis";
import { useWidth } from "../../plots/useWidth";
import { useEditor } from "../../queries/editor";
import { kickLoopQuery } from "../../queries/queries";
import { wavePath } from "../hits/layers";
import "./loop.css";

const HEIGHT = 64;
/** The figure of a place stands below it where it is less sure than this. */
const UNSURE = 0.85;

/** The loop with every place that may be a kick and how sure that is; a press puts it right. */
export function LoopStrokes() {
  const editor = useEditor();
  const { settled } = editor;
  const [follow, width] = useWidth(700);
  const found = useQuery({ ...kickLoopQuery(settled.id, settled.revision), placeholderData: keepPreviousData });
  const read = found.data;
  if (found.isError) return <p className="clash-text small">The loop could not be read: {found.error.message}</p>;
  if (!read) return <div style={{ height: HEIGHT + 22 }} />;
  const full = Math.max(1e-4, ...read.high.map(Math.abs), ...read.low.map(Math.abs));
  const left = (beats: number) => (width * beats) / Math.max(1e-6, read.length_beats);
  return (
    <div ref={follow} className="loop-strokes" role="group" aria-label="Kicks read in the loop">
      <svg width={width} height={HEIGHT} role="img" aria-label="Waveform of the loop">
        <rect width={width} height={HEIGHT} fill="var(--band)" />
        {Array.from({ length: Math.floor(read.length_beats) }, (_, beat) => beat).map((beat) => (
          <line key={beat} x1={left(beat)} x2={left(beat)} y1={0} y2={HEIGHT} stroke="var(--line)" />
        ))}
        <path d={wavePath(read.low, read.high, width, HEIGHT, full)} fill="var(--soft)" opacity={0.55} />
      </svg>
      {read.strokes.map((one) => {
        const sure = figure(100 * one.confidence, "%");
        const at = barBeat(one.at_beats);
        return (
          <button
            key={one.at_s}
            type="button"
            className={`loop-stroke ${one.on ? "on" : ""}`}
            style={{ left: left(one.at_beats), height: HEIGHT }}
            aria-pressed={one.on}
            aria-label={`Kick at ${at}, ${sure} sure`}
            title={`${at}: ${sure} sure it is a kick; press to ${one.on ? "take it away" : "write it"}`}
            disabled={editor.busy !== null}
            onClick={() =>
              editor.send(
                { kind: "loop-stroke", at_s: one.at_s, on: !one.on },
                one.on ? "No kick there" : "A kick there",
              )
            }
          >
            <i />
            {one.confidence < UNSURE && <span className="mono">{Math.round(100 * one.confidence)}</span>}
          </button>
        );
      })}
    </div>
  );
}
