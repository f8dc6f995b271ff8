import { Activity, type KeyboardEvent, type ReactNode, useEffect, useState } from "react";
import type { View } from "../api/types";
import { type BenchTab, openedBy, useBenchTab } from "./benchTab";
import "./tabs.css";

interface Props {
  /** The step, as its path says. */
  step: string;
  tabs: (BenchTab & { panel: ReactNode })[];
  findings: View["report"]["findings"];
}

const open = (one: View["report"]["findings"][number]) => !one.intended && one.severity !== "note";

/** One bench, one matter at a time: a tab keeps what was opened in it and where it was scrolled to, and says what is open there. */
export function BenchTabs({ step, tabs, findings }: Props) {
  const [tab, choose] = useBenchTab(step, tabs);
  const [visited, setVisited] = useState<ReadonlySet<string>>(new Set([tab]));
  useEffect(() => setVisited((now) => (now.has(tab) ? now : new Set([...now, tab]))), [tab]);
  const arrows = (event: KeyboardEvent<HTMLElement>) => {
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    const next = by && tabs[tabs.findIndex((one) => one.id === tab) + by];
    if (!next) return;
    event.preventDefault();
    choose(next.id);
    event.currentTarget.querySelector<HTMLElement>(`[data-tab="${next.id}"]`)?.focus();
  };
  return (
    <>
      <div className="tabs" role="tablist" aria-label="What is on the bench" onKeyDown={arrows}>
        {tabs.map(({ id, name }, index) => {
          const count = findings.filter((one) => one.step === step && open(one) && openedBy(tabs, one) === id).length;
          return (
            <button
              type="button"
              key={id}
              role="tab"
              id={`bench-${id}`}
              data-tab={id}
              aria-selected={tab === id}
              aria-controls={`bench-panel-${id}`}
              tabIndex={tab === id ? 0 : -1}
              title={`Key Shift+${index + 1}`}
              onClick={() => choose(id)}
            >
              {name}
              {count > 0 && (
                <span className="open-here">
                  {count}
                  <span className="visually-hidden"> open</span>
                </span>
              )}
            </button>
          );
        })}
      </div>
      {tabs
        .filter(({ id }) => id === tab || visited.has(id))
        .map(({ id, panel }) => (
          <Activity key={id} mode={id === tab ? "visible" : "hidden"}>
            <div role="tabpanel" id={`bench-panel-${id}`} aria-labelledby={`bench-${id}`}>
              {panel}
            </div>
          </Activity>
        ))}
    </>
  );
}
