import { memo, useEffect, useRef, useState } from "react";
import { useLocation, useNavigate } from "react-router";
import type { Finding, View } from "../api/types";
import { usePlayer } from "../audio/usePlayer";
import { BENCHES } from "../bench/benches";
import { openedBy } from "../bench/benchTab";
import { figure, prettyText } from "../controls/figures";
import { Means } from "../controls/Means";
import { useEditor, useSaved } from "../queries/editor";
import { headlines } from "./headlines";
import { stepsOf } from "./steps";
import { useHeldList } from "./useHeldList";
import "./says.css";

interface Props {
  view: View | undefined;
  fresh: boolean;
  onPlace: (finding: string | null) => void;
}

/** Findings, each with value, limit, place and fixes; two headline figures above. */
export const Says = memo(function Says({ view, fresh, onPlace }: Props) {
  const { pathname } = useLocation();
  const step = stepsOf("carve first").find((one) => one.path === pathname)?.id ?? "track";
  const found = view?.report.findings ?? NO_FINDINGS;
  // Until all is measured and fitted they stay as they were: none flashes up and goes again.
  const held = useRef(found);
  if (fresh || held.current.length === 0) held.current = found;
  const findings = held.current;
  // The step's own findings first; the others keep their order.
  const ordered = [...findings].sort(
    (one, other) =>
      Number(one.intended) - Number(other.intended) || Number(other.step === step) - Number(one.step === step),
  );
  const shown = useHeldList(ordered);
  const changed = useChanged(findings, fresh && view !== undefined);
  const open = findings.filter((one) => one.severity !== "note" && !one.intended).length;
  return (
    <aside className="says" aria-label="What the numbers say" {...shown.pointer}>
      <h2>What the numbers say</h2>
      <p className="visually-hidden" aria-live="polite">
        {fresh && view ? `${open} open ${open === 1 ? "finding" : "findings"}` : ""}
      </p>
      {view && <Measured step={step} view={view} fresh={fresh} />}
      {shown.list.map(({ one, gone }) => (
        <FindingCard key={one.id} finding={one} gone={gone} changed={changed.has(one.id)} onPlace={onPlace} />
      ))}
    </aside>
  );
});

/** How long what an edit has changed is marked. */
const MARKED_MS = 4000;

/** Findings that the last edit brought, or whose figure it changed; for a moment. */
function useChanged(findings: Finding[], fresh: boolean): ReadonlySet<string> {
  const known = useRef<Map<string, number | null> | null>(null);
  const [changed, setChanged] = useState<ReadonlySet<string>>(NONE);
  useEffect(() => {
    if (!fresh) return;
    const now = new Map(findings.map((one) => [one.id, one.value]));
    const before = known.current;
    known.current = now;
    if (!before) return;
    const found = [...now].filter(([id, value]) => !before.has(id) || before.get(id) !== value);
    if (found.length === 0) return;
    setChanged(new Set(found.map(([id]) => id)));
    const timer = setTimeout(() => setChanged(NONE), MARKED_MS);
    return () => clearTimeout(timer);
  }, [findings, fresh]);
  return changed;
}
const NONE: ReadonlySet<string> = new Set();
const NO_FINDINGS: Finding[] = [];

/** Two headline figures and what is next: dimmed from the moment something is changed until they are true again. */
function Measured({ step, view, fresh }: { step: string; view: View; fresh: boolean }) {
  const { track, state } = useEditor();
  const measuring = !fresh || track !== state.track;
  const [, { side }] = usePlayer();
  const next = view.steps.find((one) => one.step === step)?.next;
  useEffect(() => {
    performance.mark(measuring ? "juglant-dimmed" : "juglant-settled");
  }, [measuring]);
  return (
    <div className={measuring ? "measuring" : undefined} aria-busy={measuring}>
      <div className="headline">
        {headlines(step, view).map((one) => (
          <div key={one.label}>
            <div className="mono" data-long={one.before !== undefined || undefined}>
              {one.before !== undefined && (
                <>
                  <span className={side === "before" ? "" : "other-side"}>{one.before}</span>
                  <span className="soft">→</span>
                </>
              )}
              <span className={one.before !== undefined && side === "before" ? "other-side" : ""}>{one.value}</span>
            </div>
            <div className="soft">
              <Means of={one.means}>{one.label}</Means>
            </div>
          </div>
        ))}
      </div>
      {next && (
        <p className="next">
          <span className="soft">Next</span> {prettyText(next)}
        </p>
      )}
    </div>
  );
}

interface CardProps {
  finding: Finding;
  /** It is no more, and keeps its place while the pointer is over the list. */
  gone: boolean;
  /** The last edit has brought it, or changed its figure. */
  changed: boolean;
  onPlace: Props["onPlace"];
}

function FindingCard({ finding, gone, changed, onPlace }: CardProps) {
  const editor = useSaved();
  const navigate = useNavigate();
  const mark = () =>
    editor.edit(finding.intended ? "No longer intended" : "Mark as intended", (track) => ({
      ...track,
      intended: [
        ...track.intended.filter((one) => one.finding !== finding.id),
        ...(finding.intended ? [] : [{ finding: finding.id, value: finding.value }]),
      ],
    }));
  const [opened, setOpened] = useState(false);
  const severity = finding.intended ? "intended" : finding.severity;
  const tone = finding.intended ? "soft" : { fix: "clash-text", look: "", note: "room-text" }[finding.severity];
  const [first, ...others] = finding.fixes;
  const fix = (label: string, index: number) => (
    <button
      type="button"
      key={label}
      className={`btn ${index === 0 && (severity === "fix" || severity === "look") ? "btn-strong" : "btn-plain"}`}
      disabled={editor.busy !== null}
      onClick={() => editor.send({ kind: "fix", finding: finding.id, fix: index }, label)}
    >
      {prettyText(label)}
    </button>
  );
  return (
    <section
      className={`finding ${severity} ${gone ? "gone" : ""} ${changed ? "changed" : ""}`}
      aria-label={gone ? undefined : finding.title}
      aria-hidden={gone || undefined}
      inert={gone}
    >
      <h3>
        <button
          type="button"
          className="go-there"
          title={`Go there: ${finding.step}`}
          onClick={() => {
            onPlace(finding.id);
            void navigate(placeOfFinding(finding));
          }}
        >
          {finding.title}
        </button>
      </h3>
      <div className="one-line">
        <span className={`severity mono ${tone}`}>
          <span aria-hidden="true">{SHAPES[severity]}</span> {gone ? "gone" : severity}
          {changed && <span className="new-here">changed</span>}
        </span>
        {finding.value !== null && (
          <span className="small">
            <span className="mono">{figure(finding.value, finding.unit)}</span>
            {finding.limit !== null && (
              <span className="soft">
                {" "}
                · limit <span className="mono">{figure(finding.limit, finding.unit)}</span>
              </span>
            )}
          </span>
        )}
        <button
          type="button"
          className="btn btn-plain opener"
          aria-expanded={opened}
          aria-label={`${opened ? "Less" : "More"} about: ${finding.title}`}
          onClick={() => setOpened(!opened)}
        >
          {opened ? "less" : "more"}
        </button>
      </div>
      {opened && (
        <p className="soft mb-1 mt-1">
          {prettyText(finding.reason)}
          {finding.limit !== null && <span className="small"> The limit is {finding.limit_kind}.</span>}
        </p>
      )}
      <div className="buttons">
        {first !== undefined && fix(first, 0)}
        {opened && others.map((label, index) => fix(label, index + 1))}
        {opened && (
          <button type="button" className="btn btn-plain" onClick={mark}>
            {finding.intended ? "Not intended" : "Intended"}
          </button>
        )}
      </div>
    </section>
  );
}

const SHAPES: Record<string, string> = { fix: "▲", look: "◆", note: "●", intended: "○" };

/** Where a finding is worked on: its step, its tab of the bench, its hit. */
function placeOfFinding(finding: Finding): string {
  const step = finding.step as keyof typeof BENCHES;
  const asked = new URLSearchParams();
  if (BENCHES[step]) asked.set("tab", openedBy(BENCHES[step], finding));
  if (finding.hit_id) asked.set("hit", finding.hit_id);
  return `/${finding.step}${asked.size ? `?${asked}` : ""}`;
}
