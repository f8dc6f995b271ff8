import { useCallback, useEffect, useLayoutEffect, useMemo } from "react";
import { useSearchParams } from "react-router";
import type { View } from "../api/types";

type Finding = View["report"]["findings"][number];

export interface BenchTab {
  id: string;
  name: string;
  /** What findings of its step it is about; those about nothing of their own belong to the first tab. */
  topics?: Finding["topic"][];
}

const REMEMBERED = "juglant-tab-";
/** How far each tab was scrolled, px, by step and tab. */
const scrolled = new Map<string, number>();

/** The tab where a finding is worked on. */
export const openedBy = (tabs: BenchTab[], finding: Finding): string =>
  (tabs.find((one) => finding.topic && one.topics?.includes(finding.topic)) ?? tabs[0])?.id ?? "";

/** The tab of a step that is open: what the address says, else the one that was open last; and to open another. */
export function useBenchTab(step: string, tabs: BenchTab[]): [string, (id: string) => void] {
  const [asked, setAsked] = useSearchParams();
  const ids = useMemo(() => tabs.map((one) => one.id).join(" "), [tabs]);
  const known = ids.split(" ");
  const said = [asked.get("tab"), localStorage.getItem(REMEMBERED + step)].find((one) => one && known.includes(one));
  const tab = said ?? (known[0] as string);
  const choose = useCallback(
    (id: string) => {
      const bench = document.querySelector("main");
      scrolled.set(`${step} ${tab}`, bench?.scrollTop ?? 0);
      localStorage.setItem(REMEMBERED + step, id);
      setAsked(
        (now) => {
          now.set("tab", id);
          return now;
        },
        { replace: true },
      );
    },
    [step, tab, setAsked],
  );
  useLayoutEffect(() => {
    const bench = document.querySelector("main");
    if (bench) bench.scrollTop = scrolled.get(`${step} ${tab}`) ?? 0;
  }, [step, tab]);
  useEffect(() => {
    const key = (event: globalThis.KeyboardEvent) => {
      const number = /^Digit(\d)$/.exec(event.code)?.[1];
      if (!number || !event.shiftKey || event.ctrlKey || event.altKey || event.metaKey) return;
      const at = event.target;
      if (at instanceof HTMLElement && at.matches("input:not([type=range]), textarea, select")) return;
      const id = ids.split(" ")[Number(number) - 1];
      if (!id || document.querySelector(".modal.show")) return;
      event.preventDefault();
      choose(id);
    };
    window.addEventListener("keydown", key);
    return () => window.removeEventListener("keydown", key);
  }, [ids, choose]);
  return [tab, choose];
}
