import type { Shown } from "../../api/client";
import "./zoom.css";

interface Props {
  shown: Shown | null;
  onShown: (shown: Shown | null) => void;
}

const SPANS_MS = [200, 50, 10, 2];

/** How much of the hit the pictures show. */
export function Zoom({ shown, onShown }: Props) {
  return (
    <div className="zoom ms-auto" role="group" aria-label="Time shown">
      <button type="button" className="btn btn-plain" aria-pressed={shown === null} onClick={() => onShown(null)}>
        Whole hit
      </button>
      {SPANS_MS.map((span_ms) => (
        <button
          type="button"
          key={span_ms}
          className="btn btn-plain"
          aria-pressed={shown?.span_ms === span_ms}
          onClick={() => onShown({ from_ms: -0.1 * span_ms, span_ms })}
        >
          {span_ms} ms
        </button>
      ))}
    </div>
  );
}
