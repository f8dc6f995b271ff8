import { useQuery } from "@tanstack/react-query";
import { BASS, KICK, othersOf, partOf } from "../../api/parts";
import type { Standing as Measured, Part, Track } from "../../api/types";
import { Choice } from "../../controls/Choice";
import { figure } from "../../controls/figures";
import { Ruler } from "../../controls/Ruler";
import { Typed } from "../../controls/Typed";
import { useEditor } from "../../queries/editor";
import { standingQuery } from "../../queries/queries";

type Away = NonNullable<Measured["away"]>;
type Apart = NonNullable<Measured["apart"]>;

interface Props {
  one: Part;
  track: Track;
  onChange: (label: string, change: (part: Part) => Part, gesture?: string) => void;
}

/** Where a part stands among the others: near to far in one move, kept behind another, and its loudness beside the kick. */
export function Standing({ one, track, onChange }: Props) {
  const editor = useEditor();
  const { settled } = editor;
  const { data } = useQuery({ ...standingQuery(settled.id, settled.revision, one.id), enabled: one.id !== KICK });
  if (one.id === KICK) return null;
  const own = one.distance;
  const front = own.behind ? partOf(track, own.behind) : undefined;
  const set = (label: string, changes: Partial<Part["distance"]>, gesture?: string) =>
    onChange(label, (now) => ({ ...now, distance: { ...now.distance, ...changes } }), gesture);
  // Only what has a place of its own has others behind it, and what has others behind it keeps its own.
  const others = othersOf(track);
  const leads = others.some((each) => each.distance.behind === one.id);
  const before = leads ? [] : others.filter((each) => each.id !== one.id && !each.distance.behind);
  const far = front ? Math.min(100, own.far_pct + front.distance.far_pct) : own.far_pct;
  return (
    <section aria-label={`Where ${one.name} stands`}>
      <div className="grid-rulers mt-2">
        {one.id !== BASS && (
          <Ruler
            model="Distance"
            name="far_pct"
            tone="room"
            {...(front && { label: `Behind ${front.name}` })}
            value={own.far_pct}
            onChange={(far_pct, gesture) => set("Near to far", { far_pct }, gesture)}
          />
        )}
        {far > 0 && (
          <Ruler
            model="Distance"
            name="ring_ms"
            tone="room"
            value={own.ring_ms}
            onChange={(ring_ms, gesture) => set("Room rings", { ring_ms }, gesture)}
          />
        )}
        {one.id !== BASS && before.length > 0 && (
          <Choice
            label="Kept behind"
            value={own.behind ?? ""}
            options={[
              { value: "", label: "no other part" },
              ...before.map((each) => ({ value: each.id, label: each.name })),
            ]}
            onChange={(id) => {
              // It stays where it is, as far as it can; only what it is counted from changes.
              const next = before.find((each) => each.id === id);
              set(next ? `Keep ${one.name} behind ${next.name}` : `${one.name} stands by itself`, {
                behind: next?.id ?? null,
                far_pct: Math.max(0, far - (next?.distance.far_pct ?? 0)),
              });
            }}
          />
        )}
        {data && data.beside_kick_lu !== null && (
          <div
            className="field"
            title="Loudness of what is heard of it over the kick's; type another, and its level follows."
          >
            <span>Beside the kick</span>
            <Typed
              label={`Loudness of ${one.name} beside the kick, LU`}
              unit="LU"
              sign
              value={data.beside_kick_lu}
              onTyped={(beside_kick_lu) =>
                editor.send({ kind: "balance", part: one.id, beside_kick_lu }, `Balance ${one.name}`)
              }
            />
          </div>
        )}
      </div>
      {data?.away && (
        <section className="figures my-2" aria-label={`Where ${one.name} stands, measured`}>
          {awayFigures(data.away).map(drawn)}
          {data.apart && front && apartFigures(data.apart, front.name).map(drawn)}
        </section>
      )}
    </section>
  );
}

const drawn = ([value, label]: [string, string]) => (
  <div key={label}>
    <span className="mono">{value}</span>
    <span className="soft">{label}</span>
  </div>
);

function awayFigures(away: Away): [string, string][] {
  const above = figure(away.bright_db, "dB", { sign: true });
  if (away.direct_to_room_db === null)
    return [
      ["dry", "near: no room of its own"],
      [above, "above 2 kHz, re all of it"],
    ];
  return [
    [
      figure(away.direct_to_room_db, "dB", { sign: true }),
      `direct to room; ${figure(away.mono_direct_to_room_db, "dB", { sign: true })} in mono`,
    ],
    [above, `above 2 kHz, re all of it; near ${figure(away.near_bright_db, "dB", { sign: true })}`],
    [figure(-away.quieter_lu, "LU", { sign: true }), "against near"],
    [figure(-away.mono_loss_lu, "LU", { sign: true }), "in mono"],
  ];
}

function apartFigures(apart: Apart, name: string): [string, string][] {
  const short = apart.held_pct < apart.asked_pct ? `, of ${figure(apart.asked_pct, "%")} asked: far ends there` : "";
  const ratio: [string, string] =
    apart.drier_db === null
      ? ["–", `${name} is dry`]
      : [figure(apart.drier_db, "dB", { sign: true }), `less direct to room than ${name}`];
  return [
    [figure(apart.held_pct, "%"), `behind ${name}${short}`],
    ratio,
    [figure(apart.brighter_db, "dB", { sign: true }), `less above 2 kHz than ${name}`],
  ];
}
