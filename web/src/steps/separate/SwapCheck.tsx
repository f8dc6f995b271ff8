import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { api } from "../../api/client";
import { othersOf } from "../../api/parts";
import type { Hit, Sheet, Swap, SwapView } from "../../api/types";
import { Choice } from "../../controls/Choice";
import { figure, pretty } from "../../controls/figures";
import { useHeard } from "../../proposals/useHeard";
import { useEditor } from "../../queries/editor";
import { useChoices, useDefinition } from "../../queries/parameters";
import { startsQuery } from "../../queries/queries";

type Kind = "kick" | "key" | "tempo";
type Part = "tune" | "carve" | "duck";
const KINDS: { value: Kind; label: string }[] = [
  { value: "kick", label: "another kick" },
  { value: "key", label: "another key" },
  { value: "tempo", label: "another tempo" },
];
const PARTS: { id: Part; name: string }[] = [
  { id: "tune", name: "tune the kick" },
  { id: "carve", name: "carve" },
  { id: "duck", name: "duck" },
];

/** Another kick, key or tempo tried on: every figure before and after, what broke, what planning anew mends. */
export function SwapCheck() {
  const editor = useEditor();
  const { settled, track } = editor;
  const [open, setOpen] = useState(false);
  const [kind, setKind] = useState<Kind>("kick");
  const [kick, setKick] = useState("");
  const [key, setKey] = useState<Pick<Sheet, "tonic" | "scale">>(track.sheet);
  const [bpm, setBpm] = useState(track.sheet.bpm);
  const [parts, setParts] = useState<Part[]>(PARTS.map((part) => part.id));
  const [found, setFound] = useState<{ swap: Swap; view: SwapView } | null>(null);
  const [says, setSays] = useState<string | null>(null);
  const [hear, trouble] = useHeard();
  const tempo = useDefinition("Sheet").bpm;
  const tonics = useChoices("Sheet", "tonic");
  const scales = useChoices("Sheet", "scale");
  const starts = useQuery({ ...startsQuery(settled.id, settled.revision, track, "kick"), enabled: open });
  const kicks: { id: string; name: string; hit: Hit }[] = [
    ...(starts.data ?? []).map((one) => ({
      id: `start ${one.name}`,
      name: `${one.name} (to start from)`,
      hit: one.hit,
    })),
    ...othersOf(track)
      .filter((one) => one.role !== "rumble" && one.role !== "context")
      .map((one) => ({ id: one.id, name: one.name, hit: one.hit })),
  ];
  const swapOf = (): Swap | null => {
    if (kind === "key") return { tonic: key.tonic, scale: key.scale };
    if (kind === "tempo") return { bpm };
    const hit = (kicks.find((one) => one.id === kick) ?? kicks[0])?.hit;
    return hit ? { kick: hit } : null;
  };
  const check = async () => {
    const swap = swapOf();
    if (!swap) return;
    setFound(null);
    setSays("Rendering and measuring three times…");
    try {
      setFound({ swap, view: await api.swapCheck(settled.id, settled.revision, swap) });
      setSays(null);
    } catch (error) {
      setSays(error instanceof Error ? error.message : String(error));
    }
  };
  const forget = () => setFound(null);
  return (
    <section aria-label="Swap check">
      <div className="bench-head">
        <h3>Swap check</h3>
        <span className="soft">
          what would no longer fit, and what planning anew would mend; nothing changes until you swap
        </span>
        <button type="button" className="btn btn-plain ms-auto" aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? "Close" : "Try a swap"}
        </button>
      </div>
      {open && (
        <div className="d-flex gap-3 align-items-end mb-2">
          <div style={{ width: 150 }}>
            <Choice
              label="Swap for"
              value={kind}
              options={KINDS}
              onChange={(value) => {
                setKind(value);
                forget();
              }}
            />
          </div>
          {kind === "kick" && (
            <div style={{ width: 240 }}>
              <Choice
                label="Which kick"
                value={kick || (kicks[0]?.id ?? "")}
                options={kicks.map((one) => ({ value: one.id, label: one.name }))}
                onChange={(value) => {
                  setKick(value);
                  forget();
                }}
              />
            </div>
          )}
          {kind === "key" && (
            <>
              <div style={{ width: 90 }}>
                <Choice
                  label="New key"
                  value={key.tonic}
                  options={tonics.map((value) => ({ value: value as Sheet["tonic"], label: pretty(String(value)) }))}
                  onChange={(tonic) => {
                    setKey({ ...key, tonic });
                    forget();
                  }}
                />
              </div>
              <div style={{ width: 170 }}>
                <Choice
                  label="New scale"
                  value={key.scale}
                  options={scales.map((value) => ({ value: value as Sheet["scale"], label: String(value) }))}
                  onChange={(scale) => {
                    setKey({ ...key, scale });
                    forget();
                  }}
                />
              </div>
            </>
          )}
          {kind === "tempo" && (
            <div className="field" style={{ width: 110 }}>
              <label htmlFor="swap-bpm">New tempo</label>
              <Form.Control
                id="swap-bpm"
                size="sm"
                type="number"
                min={tempo?.minimum}
                max={tempo?.maximum}
                value={bpm}
                onChange={(event) => {
                  setBpm(Number(event.target.value));
                  forget();
                }}
              />
            </div>
          )}
          <button
            type="button"
            className="btn btn-strong"
            disabled={editor.busy !== null || (kind === "kick" && kicks.length === 0)}
            onClick={() => void check()}
          >
            Check
          </button>
          {says && (
            <span className="small" role="status">
              {says}
            </span>
          )}
        </div>
      )}
      {open && trouble && <p className="clash-text small mb-1">{trouble}</p>}
      {open && found && (
        <>
          <SwapTable view={found.view} />
          <div className="d-flex gap-3 align-items-center mt-2">
            <span className="soft">Plan anew:</span>
            {PARTS.map((part) => (
              <Form.Check
                key={part.id}
                type="checkbox"
                id={`swap-${part.id}`}
                label={part.name}
                checked={parts.includes(part.id)}
                onChange={() =>
                  setParts((now) => (now.includes(part.id) ? now.filter((id) => id !== part.id) : [...now, part.id]))
                }
              />
            ))}
            <button
              type="button"
              className="btn btn-plain"
              aria-label="Hear the swap"
              onClick={() =>
                hear(`swap ${settled.id} ${settled.revision} ${JSON.stringify(found.swap)} ${parts.join()}`, () =>
                  api.swapLoop(settled.id, settled.revision, found.swap, parts),
                )
              }
            >
              Hear
            </button>
            <button
              type="button"
              className="btn btn-plain"
              disabled={editor.busy !== null}
              onClick={() => {
                const anew = PARTS.map((part) => part.id).filter((id) => parts.includes(id));
                editor.send({ kind: "swap", swap: found.swap, parts: anew }, "Swap");
                forget();
              }}
            >
              Swap
            </button>
          </div>
        </>
      )}
    </section>
  );
}

/** Counts have no unit and no digits after the point. */
const shown = (value: number | null, unit: string) =>
  unit === "" && value !== null ? String(Math.round(value)) : figure(value, unit);

function SwapTable({ view }: { view: SwapView }) {
  const says =
    view.broke.length === 0
      ? "Everything that fits now still fits."
      : `${view.broke.length} of what fits now would fit no more; planning anew mends ${view.mended.length}.`;
  return (
    <>
      <p className="small mb-1" role="status">
        {says}
      </p>
      <table className="plain" aria-label="Figures before and after the swap">
        <thead>
          <tr>
            <th>Figure</th>
            <th>Limit</th>
            <th>Now</th>
            <th>Swapped</th>
            <th>Planned anew</th>
          </tr>
        </thead>
        <tbody>
          {view.rows.map((row) => (
            <tr key={row.id}>
              <td>{row.name}</td>
              <td className="mono soft">{row.limit === null ? "–" : shown(row.limit, row.unit)}</td>
              {([row.now, row.swapped, row.planned] as const).map((value, i) => (
                <td key={["now", "swapped", "planned"][i]} className={row.fits[i] ? "mono" : "mono clash-text"}>
                  {shown(value, row.unit)}
                  {!row.fits[i] && " ✕"}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
