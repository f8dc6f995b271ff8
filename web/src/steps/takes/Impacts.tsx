import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api } from "../../api/client";
import type { FoundImpact, LoadedTake, Role } from "../../api/types";
import { Choice } from "../../controls/Choice";
import { figure } from "../../controls/figures";
import { useNotices } from "../../frame/notices";
import { useWidth } from "../../plots/useWidth";
import { useEditor } from "../../queries/editor";
import { usePlainPart } from "../../queries/parameters";
import { impactsQuery, recordingImpactsQuery, takesQuery } from "../../queries/queries";
import { withTake } from "../../takes/uses";
import { wavePath } from "../hits/layers";
import { aRole, padLabel, ROLES } from "../hits/pads";
import { useOwnKeys } from "../hits/useOwnKeys";
import { useHeard } from "./useHeard";

const nameOf = (role: Role) =>
  ROLES.find(({ id }) => id === role)?.name ?? `${role[0]?.toUpperCase()}${role.slice(1)}`;
const SHOWN = 20;
const HEIGHT = 84;

/** What begins in a recording, each with what it measures, the best for a role first; heard by keys, cut, used. */
export function Impacts({ take, long = false }: { take: Pick<LoadedTake, "id" | "name">; long?: boolean }) {
  const editor = useEditor();
  const plain = usePlainPart();
  const cache = useQueryClient();
  const { say } = useNotices();
  const [role, setRole] = useState<Role>("kick");
  const [trouble, setTrouble] = useState<string | null>(null);
  const [chosen, setChosen] = useState<number | null>(null);
  const [heard, hear] = useHeard();
  const impacts = useQuery(long ? recordingImpactsQuery(take.id, role) : impactsQuery(take.id, role));
  const [follow, width] = useWidth(840);
  const box = useRef<HTMLElement>(null);
  const rate = editor.track.sheet.sample_rate;
  const all = impacts.data;
  const best = all?.found.slice(0, SHOWN) ?? [];
  const strike = (one: FoundImpact) => {
    setChosen(one.number);
    hear(take, one.impact, rate, long);
  };
  useOwnKeys(box, best.length, (at) => {
    const one = best[at];
    if (!one) return;
    box.current?.querySelectorAll<HTMLElement>("button.heard")[at]?.focus();
    strike(one);
  });
  const cut = async (one: FoundImpact, use: boolean) => {
    setTrouble(null);
    const { begin_s, end_s } = one.impact;
    const name = `${take.name.slice(0, 34)} ${one.number}`;
    try {
      const [made] = await (long ? api.cutRecording : api.cut)(take.id, [{ begin_s, end_s, name }]);
      await cache.invalidateQueries({ queryKey: takesQuery().queryKey });
      if (!made) return;
      if (!use) {
        say({ text: `${name} is a take of its own: ${figure(made.duration_ms, "ms")}.` });
        return;
      }
      // It is cut where it begins: nothing more is taken off.
      const cutThere = { ...made, onset_ms: 0 };
      const label = `Use ${name}`;
      editor.edit(label, (track) =>
        withTake(track, plain, cutThere, role === "kick" ? { as: "kick" } : { as: "hit", role }),
      );
      say({ text: `${name} is ${role === "kick" ? "the kick" : aRole(role)} now.`, undo: editor.undo, step: label });
    } catch (error) {
      setTrouble(error instanceof Error ? error.message : String(error));
    }
  };
  const full = all ? Math.max(1e-4, ...all.high.map(Math.abs), ...all.low.map(Math.abs)) : 1;
  const x = (seconds: number) => (width * seconds) / Math.max(1e-6, all?.duration_s ?? 1);
  return (
    <section className="panel" aria-label={`Impacts of ${take.name}`} ref={box}>
      <div className="bench-head">
        <h3>Impacts of {take.name}</h3>
        <span className="soft" role="status">
          {impacts.isFetching && "finding and measuring…"}
          {all &&
            !impacts.isFetching &&
            `${all.found.length} found; the best ${Math.min(SHOWN, all.found.length)} shown`}
        </span>
        <div style={{ width: 150 }} className="ms-auto">
          <Choice
            label="Ranked for"
            value={role}
            options={(all?.roles ?? [role]).map((one) => ({ value: one, label: nameOf(one) }))}
            onChange={setRole}
          />
        </div>
      </div>
      {(impacts.isError || trouble || heard) && (
        <p className="clash-text">{trouble ?? heard ?? impacts.error?.message}</p>
      )}
      <div ref={follow}>
        {all && (
          <svg
            width={width}
            height={HEIGHT}
            role="img"
            aria-label={`Waveform of ${take.name}, ${all.found.length} impacts marked`}
          >
            <rect width={width} height={HEIGHT} fill="var(--band)" />
            {all.found.map((one) => (
              <rect
                key={one.number}
                x={x(one.impact.begin_s)}
                width={Math.max(1, x(one.impact.end_s - one.impact.begin_s))}
                height={HEIGHT}
                fill={one.number === chosen ? "var(--kick)" : "var(--line)"}
                opacity={one.number === chosen ? 0.35 : 0.5}
              />
            ))}
            <path d={wavePath(all.low, all.high, width, HEIGHT, full)} fill="var(--ink)" />
          </svg>
        )}
      </div>
      {all?.found.length === 0 && <p className="soft">Nothing begins in it: it is silent, or it only swells.</p>}
      {best.length > 0 && (
        <div className="overflow-auto">
          <table className="impacts" aria-label="Impacts, the best first">
            <thead className="soft small">
              <tr>
                <th>Hear</th>
                <th>At</th>
                <th>Length</th>
                <th>Strength</th>
                <th>To the next</th>
                <th>Serves</th>
                <th>Against it</th>
                <th>Use</th>
              </tr>
            </thead>
            <tbody>
              {best.map((one, at) => (
                <tr key={one.number}>
                  <td>
                    <button
                      type="button"
                      className="btn btn-plain text-nowrap heard"
                      aria-pressed={one.number === chosen}
                      onClick={() => strike(one)}
                    >
                      {padLabel(at) && (
                        <span aria-hidden="true">
                          <kbd>{padLabel(at)}</kbd>{" "}
                        </span>
                      )}
                      <span className="visually-hidden">Hear impact </span>
                      {one.number}
                    </button>
                  </td>
                  <td className="mono">{figure(1000 * one.impact.begin_s, "ms")}</td>
                  <td className="mono">{figure(1000 * (one.impact.end_s - one.impact.begin_s), "ms")}</td>
                  <td className="mono">{figure(one.impact.level_db, "dB", { sign: true })}</td>
                  <td className="mono">
                    {one.impact.after_s === null ? "last" : figure(1000 * (one.impact.after_s ?? 0), "ms")}
                  </td>
                  <td className="mono">{figure(100 * one.asked.share, "%")}</td>
                  <td className="soft small">
                    {one.asked.against[0] ?? "as recorded ones are"}
                    {one.read.role !== role && (
                      <span title={one.read.because.join("; ")}>{`; rather ${aRole(one.read.role)}`}</span>
                    )}
                  </td>
                  <td>
                    <span className="together">
                      <button type="button" className="btn btn-plain" onClick={() => void cut(one, false)}>
                        Cut
                      </button>
                      <button type="button" className="btn btn-plain text-nowrap" onClick={() => void cut(one, true)}>
                        As {role === "kick" ? "the kick" : aRole(role)}
                      </button>
                    </span>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </section>
  );
}
