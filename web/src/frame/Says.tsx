import { memo } from "react";
import { useLocation, useNavigate } from "react-router";
import type { Finding, View } from "../api/types";
import { figure, prettyText } from "../controls/figures";
import { useSaved } from "../queries/editor";
import { headlines } from "./headlines";
import { stepsOf } from "./steps";
import { useHeldList } from "./useHeldList";

interface Props {
  view: View | undefined;
  fresh: boolean;
  onPlace: (finding: string | null) => void;
}

/** Findings, each with value, limit, place and fixes; two headline figures above. */
export const Says = memo(function Says({ view, fresh, onPlace }: Props) {
  const { pathname } = useLocation();
  const step = stepsOf("carve first").find((one) => one.path === pathname)?.id ?? "track";
  const findings = view?.report.findings ?? [];
  // The step's own findings first; the others keep their order.
  const ordered = [...findings].sort(
    (one, other) =>
      Number(one.intended) - Number(other.intended) || Number(other.step === step) - Number(one.step === step),
  );
  const shown = useHeldList(ordered);
  return (
    <aside className="says" aria-label="What the numbers say" {...shown.pointer}>
      <h2>What the numbers say</h2>
      <p className="visually-hidden" aria-live="polite">
        {fresh ? `${findings.filter((one) => one.severity !== "note" && !one.intended).length} open findings` : ""}
      </p>
      {view && (
        <div className="headline">
          {headlines(step, view).map((one) => (
            <div key={one.label}>
              <div className="mono">{one.value}</div>
              <div className="soft">{one.label}</div>
            </div>
          ))}
        </div>
      )}
      {view && findings.length === 0 && <p className="soft">Nothing stands out. Listen, then deliver.</p>}
      {shown.list.map(({ one, gone }) => (
        <FindingCard key={one.id} finding={one} gone={gone} onPlace={onPlace} />
      ))}
    </aside>
  );
});

interface CardProps {
  finding: Finding;
  /** It is no more, and keeps its place while the pointer is over the list. */
  gone: boolean;
  onPlace: Props["onPlace"];
}

function FindingCard({ finding, gone, onPlace }: CardProps) {
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
  const severity = finding.intended ? "intended" : finding.severity;
  const tone = finding.intended
    ? "soft"
    : { fix: "clash-text", look: "kick-text", note: "room-text" }[finding.severity];
  return (
    <section
      className={`finding ${severity} ${gone ? "gone" : ""}`}
      aria-label={gone ? undefined : finding.title}
      aria-hidden={gone || undefined}
      inert={gone}
    >
      <h3>
        <span className={`severity mono ${tone}`}>{gone ? "gone" : severity}</span>
        {finding.title}
      </h3>
      <p className="soft mb-1">{prettyText(finding.reason)}</p>
      {finding.value !== null && (
        <p className="mb-0 small">
          <span className="mono">{figure(finding.value, finding.unit)}</span>
          {finding.limit !== null && (
            <span className="soft">
              {" "}
              · limit <span className="mono">{figure(finding.limit, finding.unit)}</span>, {finding.limit_kind}
            </span>
          )}
        </p>
      )}
      <div className="buttons">
        {finding.fixes.map((label, index) => (
          <button
            type="button"
            key={label}
            className="btn btn-plain"
            disabled={editor.busy !== null}
            onClick={() => editor.send({ kind: "fix", finding: finding.id, fix: index }, label)}
          >
            {prettyText(label)}
          </button>
        ))}
        <button
          type="button"
          className="btn btn-plain"
          onClick={() => {
            onPlace(finding.id);
            void navigate(`/${finding.step}${finding.hit_id ? `?hit=${finding.hit_id}` : ""}`);
          }}
        >
          Go there
        </button>
        <button type="button" className="btn btn-plain" onClick={mark}>
          {finding.intended ? "Not intended" : "Intended"}
        </button>
      </div>
    </section>
  );
}
