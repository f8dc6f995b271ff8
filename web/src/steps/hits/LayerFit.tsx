import type { HitPicture } from "../../api/types";
import { bandName, figure } from "../../controls/figures";
import { useEditor } from "../../queries/editor";

type Fit = NonNullable<HitPicture["fit"]>;

const WIDTH = 300;
const HEIGHT = 74;
const FOOT = 16;
const LEFT = 30;
const TOP_DB = 6;
const LOW_DB = -12;
const NOTHING_DB = 0.05;

const y = (db: number) =>
  4 + ((TOP_DB - Math.max(LOW_DB, Math.min(TOP_DB, db))) / (TOP_DB - LOW_DB)) * (HEIGHT - FOOT - 4);

/** How the layers sum in the low band, now and fitted, by band; one press puts them there. */
export function LayerFit({ fit, hitId }: { fit: Fit; hitId: string }) {
  const editor = useEditor();
  const won = fit.after_db - fit.now_db;
  const step = (WIDTH - LEFT) / fit.low_centres_hz.length;
  const there = fit.moves.length === 0;
  return (
    <section className="fit" aria-label="Layer fit">
      <div>
        <h3>Layers together</h3>
        <p className="soft">
          In the low band the sum has <span className="mono">{figure(fit.now_db, "dB", { sign: true })}</span> against
          the layers apart
          {there || won < NOTHING_DB ? (
            "; no other start or polarity sums better."
          ) : (
            <>
              ; fitted it has <span className="mono">{figure(fit.after_db, "dB", { sign: true })}</span>:{" "}
              {fit.moves.join("; ")}.
            </>
          )}
        </p>
        <button
          type="button"
          className="btn btn-strong"
          disabled={there}
          onClick={() => editor.send({ kind: "fit-layers", part: hitId }, "Fit the layers")}
        >
          Fit the layers
        </button>
      </div>
      <svg
        width={WIDTH}
        height={HEIGHT}
        role="img"
        aria-label={`Sum of the layers by band: ${fit.low_centres_hz
          .map((hz, i) => `${bandName(hz)} Hz ${figure(fit.bands_now_db[i], "dB")}`)
          .join(", ")}`}
      >
        {[3, 0, -6].map((db) => (
          <g key={db}>
            <line x1={LEFT} x2={WIDTH} y1={y(db)} y2={y(db)} stroke={db === 0 ? "var(--soft)" : "var(--line)"} />
            <text x={LEFT - 5} y={y(db) + 4} textAnchor="end">
              {figure(db, "").replace(".00", "")}
            </text>
          </g>
        ))}
        {fit.low_centres_hz.map((hz, i) => {
          const x = LEFT + (i + 0.5) * step;
          return (
            <g key={hz}>
              <line
                x1={x}
                x2={x}
                y1={y(fit.bands_now_db[i] ?? 0)}
                y2={y(fit.bands_after_db[i] ?? 0)}
                className="fit-way"
              />
              <circle cx={x} cy={y(fit.bands_now_db[i] ?? 0)} r={3.5} className="fit-now" />
              <circle cx={x} cy={y(fit.bands_after_db[i] ?? 0)} r={3.5} className="fit-after" />
              {i % 2 === 0 && (
                <text x={x} y={HEIGHT - 2} textAnchor="middle">
                  {bandName(hz)}
                </text>
              )}
            </g>
          );
        })}
      </svg>
    </section>
  );
}
