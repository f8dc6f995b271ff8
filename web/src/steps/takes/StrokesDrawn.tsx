import { useState } from "react";
import type { DrumStrokes, ListedTake, Rework, Reworked, Track } from "../../api/types";
import { Choice } from "../../controls/Choice";
import { figure } from "../../controls/figures";
import { useNotices } from "../../frame/notices";
import { useEditor } from "../../queries/editor";
import { wavePath } from "../hits/layers";
import { hitsOf, strokeAt, withHit } from "../hits/pads";

type Seen = DrumStrokes["strokes"][number];
const HEIGHT = 84;
const MARK = 8;

interface Props {
  name: string;
  found: DrumStrokes;
  after: Reworked | undefined;
  row: Rework["row"];
  width: number;
  onHear: (stroke: Seen) => void;
}

/** A drum part with every stroke marked, those of the row in its colour; heard by a press; what becomes of it over it. */
export function StrokesDrawn({ name, found, after, row, width, onHear }: Props) {
  const full = Math.max(1e-4, ...found.high.map(Math.abs), ...found.low.map(Math.abs));
  const x = (seconds: number) => (width * seconds) / Math.max(1e-6, found.duration_s);
  const out = new Set(found.even.strokes.filter((one) => one.out.length).map((one) => one.number));
  const press = (clientX: number, box: DOMRect) => {
    const at = ((clientX - box.left) / Math.max(1, box.width)) * found.duration_s;
    const last = found.strokes.filter((one) => one.at_s <= at + 0.01).at(-1) ?? found.strokes[0];
    if (last) onHear(last);
  };
  return (
    // biome-ignore lint/a11y/useKeyWithClickEvents: every stroke is heard by keys among the impacts
    <svg
      width={width}
      height={HEIGHT}
      role="img"
      aria-label={`${name}: ${found.strokes.length} strokes, ${found.strokes.filter((one) => one.incidental).length} small between them`}
      onClick={(event) => press(event.clientX, event.currentTarget.getBoundingClientRect())}
    >
      <rect width={width} height={HEIGHT} fill="var(--band)" />
      <path d={wavePath(found.low, found.high, width, HEIGHT, full)} fill="var(--ink)" opacity={after ? 0.4 : 1} />
      {after && <path d={wavePath(after.low, after.high, width, HEIGHT, full)} fill="var(--kick)" opacity={0.75} />}
      {found.strokes.map((one) => {
        const own = row === "all" || one.rows.includes(row);
        return (
          <line
            key={one.number}
            x1={x(one.at_s)}
            x2={x(one.at_s)}
            y1={one.incidental ? HEIGHT - MARK : 0}
            y2={HEIGHT}
            stroke={out.has(one.number) ? "var(--clash)" : own ? "var(--kick)" : "var(--line)"}
            strokeWidth={out.has(one.number) ? 2 : 1}
            strokeDasharray={one.incidental ? "2 2" : undefined}
          />
        );
      })}
    </svg>
  );
}

const ACCENT = 96;
const GHOST = 40;

/** The track with strokes of a part where small events of a loop are, its sixteenths; what is written there stays. */
export function withSmall(
  track: Track,
  id: string,
  found: Pick<DrumStrokes, "bpm" | "bar_s">,
  small: Pick<Seen, "at_s">[],
  velocity: number,
): Track {
  const step = 60 / (found.bpm ?? track.sheet.bpm) / 4;
  const bars = track.sheet.bars * 4;
  const beats = small
    .map((one) => Math.round((one.at_s - found.bar_s) / step) / 4)
    .map((beat) => ((beat % bars) + bars) % bars);
  return withHit(track, id, (one) => {
    const fresh = [...new Set(beats)].filter((beat) => !one.strokes.some((stroke) => stroke.at_beats === beat));
    return { ...one, strokes: [...one.strokes, ...fresh.map((beat) => strokeAt(beat, velocity))] };
  });
}

/** Small events of a loop accented with a hit of the track, or played softly by it as ghosts. */
export function Between({ take, found, small }: { take: ListedTake; found: DrumStrokes; small: Seen[] }) {
  const editor = useEditor();
  const { say } = useNotices();
  const parts = hitsOf(editor.track).filter((one) => one.role !== "context" && one.role !== "rumble" && !one.doubles);
  const [id, setId] = useState<string | null>(null);
  const chosen = parts.find((one) => one.id === id) ?? parts.find((one) => one.role === "hat") ?? parts[0];
  if (!small.length || found.untimed || !chosen) return null;
  const write = (velocity: number, what: string) => {
    const label = `${what} of ${take.name} by ${chosen.name}`.slice(0, 78);
    const before = chosen.strokes.length;
    const made = withSmall(editor.track, chosen.id, found, small, velocity);
    const more = (made.parts.find((one) => one.id === chosen.id)?.strokes.length ?? before) - before;
    if (!more) {
      say({ text: `${chosen.name} plays at every one of them already: nothing is written.` });
      return;
    }
    editor.edit(label, (track) => withSmall(track, chosen.id, found, small, velocity));
    say({
      text: `${chosen.name} has ${figure(more, "")} ${more === 1 ? "stroke" : "strokes"} more, where ${take.name} is small.`,
      undo: editor.undo,
      step: label,
    });
  };
  return (
    <span className="together align-items-end">
      <span style={{ width: 120 }}>
        <Choice
          label="There"
          value={chosen.id}
          options={parts.map((one) => ({ value: one.id, label: one.name }))}
          onChange={setId}
        />
      </span>
      <button type="button" className="btn btn-plain" onClick={() => write(ACCENT, "Accents")}>
        Accent them
      </button>
      <button type="button" className="btn btn-plain" onClick={() => write(GHOST, "Ghosts")}>
        Ghost them
      </button>
    </span>
  );
}
