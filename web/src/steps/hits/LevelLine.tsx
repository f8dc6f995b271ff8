import { partOf } from "../../api/parts";
import { beatMs, inBars } from "../../controls/figures";
import { useEditor } from "../../queries/editor";
import { useMost } from "../../queries/parameters";
import { DrawnPoints } from "./DrawnPoints";
import { asPlaces, asTimes, copiedFromBarOne, withLine } from "./levelLine";

const BAR_BEATS = 4;

/** A part's level over the loop: points in beats, straight in dB between them, copied from bar to bar. */
export function LevelLine({ part, name }: { part: string; name: string }) {
  const editor = useEditor();
  const most = useMost("LevelLine", "points");
  const { sheet } = editor.track;
  const ms = beatMs(sheet.bpm);
  const length = sheet.bars * BAR_BEATS;
  const line = partOf(editor.track, part)?.level_line;
  const set = (label: string, points: Parameters<typeof withLine>[2], gesture?: string) =>
    editor.edit(`${name}: ${label}`, (track) => withLine(track, part, points), gesture);
  return (
    <section aria-label={`Level line of ${name}`}>
      <div className="bench-head">
        <h3>Level line</h3>
        <span className="soft">
          {line
            ? "on top of its level: drag a point, double-click to add one, Delete to remove"
            : "its level drawn over the loop"}
        </span>
        <span className="ms-auto" />
        {line && (
          <>
            <button
              type="button"
              className="btn btn-plain text-nowrap"
              disabled={!line.points.some((one) => one.at_beats < BAR_BEATS) || sheet.bars < 2}
              onClick={() => set("bar 1 in every bar", copiedFromBarOne(line.points, sheet.bars).slice(0, most))}
            >
              Bar 1 in every bar
            </button>
            <button type="button" className="btn btn-plain" onClick={() => set("no level line", null)}>
              Take it off
            </button>
          </>
        )}
        {!line && (
          <button
            type="button"
            className="btn btn-plain"
            onClick={() =>
              set("level line", [
                { at_beats: 0, gain_db: 0 },
                { at_beats: length, gain_db: 0 },
              ])
            }
          >
            Draw one
          </button>
        )}
      </div>
      {line && (
        <DrawnPoints
          what={`Level line of ${name}`}
          spanMs={length * ms}
          told={(at) => inBars(at / ms)}
          most={most}
          points={asTimes(line.points, ms)}
          onChange={(points, gesture) => set("level line", asPlaces(points, ms, length), gesture)}
        />
      )}
    </section>
  );
}
