import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../api/client";
import { wholePart, withMore } from "../../api/parts";
import type { InTurn, ListedTake, Part, Role, Stroked, Track } from "../../api/types";
import { Choice } from "../../controls/Choice";
import { figure } from "../../controls/figures";
import { useNotices } from "../../frame/notices";
import { useEditor } from "../../queries/editor";
import { usePlainPart } from "../../queries/parameters";
import { alternatesQuery } from "../../queries/queries";
import { freeName } from "../../takes/uses";
import { aRole, ROLES, withHit } from "../hits/pads";
import { useAsked } from "./useAsked";

const KICK_ROLE = "kick";
const named = (stroke: { take: string; number: number }) => `${stroke.take} ${stroke.number}`;
const placed = ({ take, number }: Stroked): Stroked => ({ take, number });

/** The track with several recordings as one hit: in the kick's place, or a part of its own. */
function withAlternates(track: Track, plain: Partial<Part>, hit: Part["hit"], name: string, role: Role): Track {
  if (role === KICK_ROLE)
    return withHit(track, KICK_ROLE, (one) => ({
      ...one,
      hit: { ...one.hit, layers: hit.layers, velocity: hit.velocity, locked: [], front: [] },
    }));
  const made = { ...freeName(track, name, role), role, hit };
  return withMore(track, wholePart(plain, made));
}

/** Several recordings of one thing as one hit: grouped by strength, aligned, evened, played in turn; any of them left out. */
export function Alternates({ takes, onUsed }: { takes: ListedTake[]; onUsed: () => void }) {
  const editor = useEditor();
  const plain = usePlainPart();
  const { say } = useNotices();
  const { trouble, hear } = useAsked();
  const [asked, setRole] = useState<Role | null>(null);
  const role = asked ?? takes[0]?.read?.role ?? "percussion";
  const [picked, setPicked] = useState<{ of: string; strokes: Stroked[] } | null>(null);
  const name = (takes[0]?.name ?? "Alternates").slice(0, 34);
  const ids = takes.map((one) => one.id);
  const of = ids.join(" ");
  // Of other sounds nothing is chosen yet: all that may serve are played.
  const chosen = picked?.of === of ? picked.strokes : null;
  const inTurn = useQuery({
    ...alternatesQuery(name, ids, chosen),
    enabled: ids.length > 0,
    placeholderData: keepPreviousData,
    retry: false,
  });
  const found = ids.length ? inTurn.data : undefined;
  const played = new Map(found?.played.map((one) => [named(one), one]));
  const rate = editor.track.sheet.sample_rate;
  const turn = (one: InTurn["found"][number]) => {
    const now = chosen ?? found?.played.map(placed) ?? [];
    const without = now.filter((each) => named(each) !== named(one));
    setPicked({ of, strokes: without.length < now.length ? without : [...now, placed(one)] });
  };
  const use = () => {
    if (!found) return;
    const label = `Use ${name} in turn`;
    editor.edit(label, (track) => withAlternates(track, plain, found.hit, name, role));
    say({
      text: `${name} is ${role === KICK_ROLE ? "the kick" : aRole(role)} now: ${found.said.join("; ")}.`,
      undo: editor.undo,
      step: label,
    });
    onUsed();
  };
  return (
    <section className="panel" aria-label="Several as one hit">
      <div className="bench-head">
        <h3>Several as one hit</h3>
        <span className="soft" role="status">
          {!ids.length
            ? "mark recordings of one thing in the list: one file of many strokes, or several files"
            : inTurn.isFetching
              ? "measuring…"
              : found?.said.join("; ")}
        </span>
        <div style={{ width: 130 }} className="ms-auto">
          <Choice
            label="Role"
            value={role}
            options={[
              { value: KICK_ROLE as Role, label: "Kick" },
              ...ROLES.filter(({ id }) => id !== "rumble").map(({ id, name: label }) => ({ value: id, label })),
            ]}
            onChange={setRole}
          />
        </div>
        <button
          type="button"
          className="btn btn-strong"
          disabled={!found || inTurn.isError || inTurn.isPlaceholderData || editor.busy !== null}
          onClick={use}
        >
          Use as {role === KICK_ROLE ? "the kick" : aRole(role)}
        </button>
      </div>
      {(trouble || (ids.length > 0 && inTurn.isError)) && (
        <p className="clash-text">{trouble ?? inTurn.error?.message}</p>
      )}
      {found && (
        <div className="overflow-auto" style={{ maxHeight: 320 }}>
          <table className="impacts" aria-label="Strokes that are played in turn">
            <thead className="soft small">
              <tr>
                <th>Played</th>
                <th>Of</th>
                <th>At</th>
                <th>Loudness</th>
                <th>Strength</th>
                <th>Evened by</th>
                <th>Moved by</th>
                <th>Left out because</th>
              </tr>
            </thead>
            <tbody>
              {found.found.map((one) => {
                const own = played.get(named(one));
                // What is marked is seen at once; its figures come when they are measured.
                const marked = chosen ? chosen.some((each) => named(each) === named(one)) : own !== undefined;
                const source = takes.find((take) => take.id === one.take)?.name ?? "";
                return (
                  <tr key={named(one)}>
                    <td>
                      <input
                        type="checkbox"
                        className="form-check-input"
                        aria-label={`Stroke ${one.number} of ${source}`}
                        checked={marked}
                        onChange={() => turn(one)}
                      />
                    </td>
                    <td>
                      <button
                        type="button"
                        className="btn btn-plain text-nowrap"
                        onClick={() =>
                          hear(`take ${one.take} ${one.begin_ms} ${one.length_ms} ${rate}`, () =>
                            api.impactSound(
                              one.take,
                              { begin_s: one.begin_ms / 1000, end_s: (one.begin_ms + one.length_ms) / 1000 },
                              rate,
                            ),
                          )
                        }
                      >
                        {source} {one.number}
                      </button>
                    </td>
                    <td className="mono">{figure(one.begin_ms, "ms")}</td>
                    <td className="mono">{figure(one.loudness_db, "dB", { sign: true })}</td>
                    <td className="mono">{own ? own.velocity : ""}</td>
                    <td className="mono">{own ? figure(own.gain_db, "dB", { sign: true }) : ""}</td>
                    <td className="mono">{own ? figure(-own.early_ms, "ms", { sign: true }) : ""}</td>
                    <td className="soft small">{one.why_not ?? ""}</td>
                  </tr>
                );
              })}
            </tbody>
          </table>
        </div>
      )}
    </section>
  );
}
