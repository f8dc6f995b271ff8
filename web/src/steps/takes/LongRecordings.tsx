import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../api/client";
import type { Recorded } from "../../api/types";
import { figure } from "../../controls/figures";
import { Typed } from "../../controls/Typed";
import { useNotices } from "../../frame/notices";
import { useEditor } from "../../queries/editor";
import { recordingsQuery } from "../../queries/queries";
import { Impacts } from "./Impacts";
import { useAsked } from "./useAsked";
import { useHeard } from "./useHeard";

const minutes = (seconds: number) =>
  `${Math.floor(seconds / 60)}:${String(Math.floor(seconds % 60)).padStart(2, "0")} min`;
const LONGEST_CUT_S = 100;

/** Recordings that are too long to be sounds: files of their own, from which takes are cut. */
export function LongRecordings() {
  const recordings = useQuery(recordingsQuery());
  const cache = useQueryClient();
  const { say } = useNotices();
  const { track } = useEditor();
  const [shown, setShown] = useState<string | null>(null);
  const [heard, hear] = useHeard();
  const [trouble, setTrouble] = useState<string | null>(null);
  const all = recordings.data ?? [];
  const one = all.find((each) => each.id === shown);
  if (all.length === 0) return null;
  const fresh = () => cache.invalidateQueries({ queryKey: recordingsQuery().queryKey });
  const put = async (each: Recorded) => {
    setTrouble(null);
    try {
      await api.putRecordingAway(each.id, true);
      await fresh();
      say({
        text: `${each.name} is put away. Its file stays.`,
        undo: () => void api.putRecordingAway(each.id, false).then(fresh),
      });
    } catch (error) {
      setTrouble(error instanceof Error ? error.message : String(error));
    }
  };
  return (
    <section aria-label="Long recordings">
      <h3 className="mt-3">Long recordings</h3>
      {(trouble || heard) && <p className="clash-text">{trouble ?? heard}</p>}
      <ul className="takes" aria-label="Long recordings">
        {all.map((each) => (
          <li key={each.id} aria-label={each.name}>
            <button
              type="button"
              className="btn btn-plain"
              onClick={() => hear(each, null, track.sheet.sample_rate, true)}
            >
              Hear its start
            </button>
            <span className="take-said">
              <strong>{each.name}</strong> <span className="mono soft">{minutes(each.duration_s)}</span>
              <span className="soft small d-block">{each.said || "from a file"}; only what is cut is a take</span>
            </span>
            <span className="ms-auto together">
              <button
                type="button"
                className="btn btn-plain"
                aria-expanded={shown === each.id}
                onClick={() => setShown(shown === each.id ? null : each.id)}
              >
                Impacts and cuts
              </button>
              <button type="button" className="btn btn-plain" onClick={() => void put(each)}>
                Put away
              </button>
            </span>
          </li>
        ))}
      </ul>
      {one && <Stretch key={`cut ${one.id}`} one={one} />}
      {one && <Impacts key={`${one.id} ${one.duration_s}`} take={one} long />}
    </section>
  );
}

/** A stretch of a long recording by its moments, heard and cut. */
function Stretch({ one }: { one: Recorded }) {
  const { track } = useEditor();
  const { say } = useNotices();
  const { trouble, hear, keep } = useAsked();
  const [from, setFrom] = useState(0);
  const [to, setTo] = useState(Math.min(10, one.duration_s));
  const rate = track.sheet.sample_rate;
  const stretch = { begin_s: from, end_s: to };
  const wrong = to <= from || to - from > LONGEST_CUT_S;
  return (
    <div className="work-line">
      <span className="soft">from</span>
      <Typed label="From, s" unit="s" value={from} onTyped={(next) => setFrom(Math.max(0, next))} />
      <span className="soft">to</span>
      <Typed
        label="To, s"
        unit="s"
        value={to}
        onTyped={(next) => setTo(Math.min(one.duration_s, Math.max(0, next)))}
      />
      <button
        type="button"
        className="btn btn-plain"
        disabled={wrong}
        onClick={() => hear(`long ${one.id} ${from} ${to} ${rate}`, () => api.recordingSound(one.id, stretch, rate))}
      >
        Hear this stretch
      </button>
      <button
        type="button"
        className="btn btn-plain"
        disabled={wrong}
        onClick={() =>
          void keep(
            () => api.cutRecording(one.id, [{ ...stretch, name: `${one.name.slice(0, 30)} ${Math.round(from)} s` }]),
            ([made]) => made && say({ text: `${made.name} is a take: ${figure(made.duration_ms, "ms")}.` }),
          )
        }
      >
        Cut it as a take
      </button>
      {trouble && <span className="clash-text">{trouble}</span>}
      {wrong && <span className="soft">A take is at most {LONGEST_CUT_S} s long.</span>}
    </div>
  );
}
