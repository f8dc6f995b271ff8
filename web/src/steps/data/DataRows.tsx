interface Act {
  label: string;
  act: () => void;
}

interface Row {
  id: string;
  name: string;
  said: string;
  acts: Act[];
}

interface Props {
  title: string;
  empty: string;
  rows: Row[];
  head?: Act;
  note?: string;
}

/** A list of things with what may be done to each. */
export function DataRows({ title, empty, rows, head, note }: Props) {
  return (
    <section className="panel" aria-label={title}>
      <div className="d-flex align-items-baseline gap-2 mb-2">
        <h3>{title}</h3>
        {head && (
          <button type="button" className="btn btn-plain ms-auto" onClick={head.act}>
            {head.label}
          </button>
        )}
      </div>
      {note && <p className="soft small mb-2">{note}</p>}
      {rows.length === 0 && <p className="soft mb-0">{empty}</p>}
      <ul className="data-rows">
        {rows.map((row) => (
          <li key={row.id}>
            <span className="what" title={row.name}>
              {row.name}
              {row.said && <span className="soft small">{row.said}</span>}
            </span>
            <span className="together">
              {row.acts.map(({ label, act }) => (
                <button
                  type="button"
                  className="btn btn-plain"
                  key={label}
                  aria-label={`${label}: ${row.name}`}
                  onClick={act}
                >
                  {label}
                </button>
              ))}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}
