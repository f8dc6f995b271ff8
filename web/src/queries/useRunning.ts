import { useIsFetching } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api } from "../api/client";
import type { RunningJob } from "../api/types";

/** Questions that are answered by long work: only while one is open it is asked what runs. */
const LONG = new Set<unknown>(["proposals", "shares"]);
/** What is over sooner is not worth a line. */
const WORTH_MS = 700;
/** So long it is listened after a press that leads to long work, where none has begun. */
const BEGINS_MS = 4000;
const BEGUN = "juglant-long-work";

/** Say that long work has been asked for by other ways than a question. */
export const longWorkBegins = () => window.dispatchEvent(new Event(BEGUN));

/** What runs on the server and for how long it has; and how it is stopped. */
export function useRunning(): [RunningJob[], (id: number) => void] {
  const asked = useIsFetching({ predicate: (query) => LONG.has(query.queryKey[0]) }) > 0;
  const [pressed, setPressed] = useState(0);
  const [jobs, setJobs] = useState<RunningJob[]>([]);
  useEffect(() => {
    const begun = () => setPressed(performance.now());
    window.addEventListener(BEGUN, begun);
    return () => window.removeEventListener(BEGUN, begun);
  }, []);
  const listens = asked || pressed > 0;
  useEffect(() => {
    if (!listens) {
      setJobs([]);
      return;
    }
    let events: EventSource | undefined;
    const timer = setTimeout(() => {
      events = new EventSource(api.jobsAddress);
      events.onmessage = ({ data }) => {
        const running = JSON.parse(data) as RunningJob[];
        setJobs(running);
        setPressed((at) => (running.length === 0 && performance.now() - at > BEGINS_MS ? 0 : at));
      };
    }, WORTH_MS);
    return () => {
      clearTimeout(timer);
      events?.close();
    };
  }, [listens]);
  useEffect(() => {
    if (pressed === 0) return;
    // Where nothing has begun by then nothing will.
    const timer = setTimeout(() => jobs.length === 0 && setPressed(0), BEGINS_MS);
    return () => clearTimeout(timer);
  }, [pressed, jobs]);
  return [jobs, (id) => void api.stopJob(id)];
}
