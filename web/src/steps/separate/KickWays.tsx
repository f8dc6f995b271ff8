import { useQuery } from "@tanstack/react-query";
import { api } from "../../api/client";
import { figure } from "../../controls/figures";
import { useEditor } from "../../queries/editor";
import { kickWaysQuery } from "../../queries/queries";
import { useRested } from "../../queries/useRested";
import { useSeen } from "../../queries/useSeen";
import { HearAndTake } from "./HearAndTake";
import { useHeard } from "./useHeard";

/** Where the bass owns the sub: a pass on the kick beside bells, and what of the kick each keeps. */
export function KickWays({ fresh }: { fresh: boolean }) {
  const editor = useEditor();
  const { settled } = editor;
  const rested = useRested();
  const [at, seen] = useSeen<HTMLElement>();
  const found = useQuery({ ...kickWaysQuery(settled.id, settled.revision), enabled: rested && seen });
  const [hear, trouble] = useHeard();
  return (
    <section ref={at} aria-label="How the kick gives way">
      <div className="bench-head">
        <h3>How the kick gives way</h3>
        <span className="soft">the gentlest, lowest pass, beside bells and shelves; each made and measured</span>
      </div>
      {trouble && <p className="clash-text small mb-1">{trouble}</p>}
      {found.isError && <p className="clash-text small">This could not be planned: {found.error.message}</p>}
      {!found.data && !found.isError && <p className="soft small">Planning both…</p>}
      {found.data?.length === 0 && <p className="soft small">Nothing needs to give way here.</p>}
      {found.data && found.data.length > 0 && (
        <table className="plain" aria-label="What each way keeps of the kick">
          <thead>
            <tr>
              <th>Way</th>
              <th>Reaches</th>
              <th>Short by</th>
              <th>Punch</th>
              <th>Attack</th>
              <th>Kick loses</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {found.data.map((one) => (
              <tr key={one.id}>
                <td className="wrap">
                  <strong>{one.title}</strong>{" "}
                  <span className="soft">
                    {one.moves
                      .map((move) =>
                        move.shape === "high-pass"
                          ? `${move.slope_db} dB an octave at ${figure(move.frequency_hz, "Hz")}`
                          : `${move.shape} ${figure(move.gain_db, "dB", { sign: true })} at ${figure(move.frequency_hz, "Hz")}`,
                      )
                      .join(", ")}
                  </span>
                </td>
                <td className="mono">{figure(one.reached_db, "dB", { sign: true })}</td>
                <td className={one.short_db > 0.1 ? "mono clash-text" : "mono"}>{figure(one.short_db, "dB")}</td>
                <td className="mono">{figure(one.punch_db, "dB", { sign: true })}</td>
                <td className="mono">
                  {figure(one.attack_before_ms, "ms")} → {figure(one.attack_ms, "ms")}
                </td>
                <td className="mono">{figure(one.lost_lu, "LU")}</td>
                <HearAndTake
                  name={one.title}
                  verb="Take"
                  help="In place of the carve there is, as one step"
                  heard={fresh}
                  taken={editor.busy === null && fresh}
                  onHear={() =>
                    hear(`kick way ${settled.id} ${settled.revision} ${one.id}`, () =>
                      api.wayLoop(settled.id, settled.revision, one.id),
                    )
                  }
                  onTake={() => editor.takeWay(one.id, one.title)}
                />
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}
