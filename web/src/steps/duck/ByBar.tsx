import { BASS } from "../../api/parts";
import type { DuckSheet } from "../../api/types";
import { figure } from "../../controls/figures";
import { useEditor } from "../../queries/editor";
import { firstCurve, withCurve } from "./duckedParts";

/** What the bass loses in each bar, keyed by the kick that is heard and by the silent trigger. */
export function ByBar({ sheet }: { sheet: DuckSheet }) {
  const editor = useEditor();
  const { limits } = editor.track;
  const duck = firstCurve(editor.track);
  const rows = [
    { id: "kick", name: "keyed by the kick", levels: sheet.by_kick },
    { id: "trigger", name: "keyed by the silent trigger", levels: sheet.by_trigger },
  ] as const;
  if (!duck.on || !sheet.by_kick.losses_lu.length) return null;
  return (
    <section aria-label="Level of the bass by bar">
      <div className="bench-head">
        <h3>Where the kick rests</h3>
        <span className="soft">
          what the duck takes of the bass in each bar; a jump is heard where a bar has no key
        </span>
      </div>
      <div style={{ overflowX: "auto" }}>
        <table className="plain" aria-label="What the duck takes in each bar">
          <thead>
            <tr>
              <th>LU</th>
              {sheet.by_kick.losses_lu.map((_, bar) => (
                <th key={bar}>{bar + 1}</th>
              ))}
              <th>jump</th>
              <th>
                <span className="visually-hidden">Acts</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {rows.map(({ id, name, levels }) => {
              const { losses_lu: losses, jump_lu: size } = levels;
              return (
                <tr key={id}>
                  <td className="soft text-nowrap">{duck.key.kind === id ? <strong>{name}</strong> : name}</td>
                  {losses.map((value, bar) => (
                    <td key={bar} className="mono">
                      {figure(value, "LU").replace(" LU", "")}
                    </td>
                  ))}
                  <td className={size !== null && size > limits.level_jump_lu ? "mono clash-text" : "mono"}>
                    {figure(size, "LU")}
                  </td>
                  <td className="text-end">
                    {duck.key.kind !== id && (
                      <button
                        type="button"
                        className="btn btn-plain"
                        disabled={editor.busy !== null}
                        aria-label={`Key it so: the bass by ${id === "kick" ? "the kick" : "the silent trigger"}`}
                        onClick={() =>
                          editor.edit("Duck: keyed by", (track) =>
                            withCurve(track, BASS, { key: { ...firstCurve(track).key, kind: id } }),
                          )
                        }
                      >
                        Key it so
                      </button>
                    )}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
    </section>
  );
}
