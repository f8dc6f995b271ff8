const MOST = 32;

/** Steps of a gate: a press opens or shuts one. */
export function GateSteps({ pattern, onChange }: { pattern: string; onChange: (pattern: string) => void }) {
  const turned = (index: number) =>
    [...pattern].map((one, at) => (at === index ? (one === "x" ? "-" : "x") : one)).join("");
  return (
    <div className="gate-steps" role="group" aria-label="Steps of the gate">
      {[...pattern].map((one, index) => (
        <button
          type="button"
          key={index}
          aria-pressed={one === "x"}
          aria-label={`Step ${index + 1}`}
          onClick={() => onChange(turned(index))}
        />
      ))}
      <button
        type="button"
        className="btn btn-plain"
        disabled={pattern.length >= MOST}
        onClick={() => onChange(`${pattern}-`)}
      >
        Longer
      </button>
      <button
        type="button"
        className="btn btn-plain"
        disabled={pattern.length <= 1}
        onClick={() => onChange(pattern.slice(0, -1))}
      >
        Shorter
      </button>
    </div>
  );
}
