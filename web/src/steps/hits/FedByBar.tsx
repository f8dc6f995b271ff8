import { Form } from "react-bootstrap";
import { figure } from "../../controls/figures";
import { useEditor } from "../../queries/editor";

/** From here down nothing is fed. */
const UNFED_DB = -60;
const LEVELS_DB = [12, 6, 3, 0, -3, -6, -12, -18, -24, UNFED_DB];

interface Props {
  title: string;
  bars: number[];
  onChange: (bars: number[]) => void;
}

/** How much each bar of the loop feeds a room or an echo; what rings, rings on into the next. */
export function FedByBar({ title, bars, onChange }: Props) {
  const editor = useEditor();
  const count = editor.track.sheet.bars;
  const level = (bar: number) => bars[bar] ?? 0;
  const set = (bar: number, db: number) => {
    // Bars beyond the loop keep what they have.
    const next = Array.from({ length: Math.max(count, bars.length) }, (_, at) => (at === bar ? db : level(at)));
    while (next.length && next[next.length - 1] === 0) next.pop();
    onChange(next);
  };
  return (
    <fieldset className="d-flex flex-wrap gap-2 align-items-center my-1" aria-label={`${title} fed by bar`}>
      <span className="soft small">Fed by bar</span>
      {Array.from({ length: count }, (_, bar) => {
        const known = LEVELS_DB.includes(level(bar)) ? LEVELS_DB : [...LEVELS_DB, level(bar)].sort((a, b) => b - a);
        return (
          <Form.Select
            key={bar}
            size="sm"
            aria-label={`Bar ${bar + 1}`}
            style={{ width: 124 }}
            value={level(bar)}
            onChange={({ target }) => set(bar, Number(target.value))}
          >
            {known.map((db) => (
              <option key={db} value={db}>
                {db <= UNFED_DB ? `${bar + 1}: not` : `${bar + 1}: ${figure(db, "dB", { sign: true })}`}
              </option>
            ))}
          </Form.Select>
        );
      })}
    </fieldset>
  );
}
