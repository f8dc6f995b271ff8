import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useEditor } from "../../queries/editor";
import { duckSettingsQuery } from "../../queries/queries";
import { useRested } from "../../queries/useRested";

/** Every duck as numbers to type in elsewhere: read, copied or printed. */
export function Print() {
  const { settled } = useEditor();
  const rested = useRested();
  const [open, setOpen] = useState(false);
  const [copied, setCopied] = useState<string | null>(null);
  const found = useQuery({ ...duckSettingsQuery(settled.id, settled.revision), enabled: open && rested });
  const copy = (text: string) =>
    navigator.clipboard.writeText(text).then(
      () => setCopied("Copied."),
      () => setCopied("The browser did not allow it: select the text and copy it by hand."),
    );
  return (
    <section aria-label="Settings of every duck" className="print-sheet">
      <div className="bench-head">
        <h3>Settings of every duck</h3>
        <span className="soft">numbers to type in elsewhere; also in the download as ducks.txt</span>
        <span className="ms-auto" />
        {open && found.data && (
          <>
            <button type="button" className="btn btn-plain" onClick={() => void copy(found.data)}>
              Copy
            </button>
            <button type="button" className="btn btn-plain" onClick={() => window.print()}>
              Print
            </button>
          </>
        )}
        <button
          type="button"
          className="btn btn-plain"
          aria-expanded={open}
          aria-label={open ? "Close the settings" : "Show the settings"}
          onClick={() => {
            setOpen((now) => !now);
            setCopied(null);
          }}
        >
          {open ? "Close" : "Show"}
        </button>
      </div>
      {copied && (
        <p className="small soft mb-1" role="status">
          {copied}
        </p>
      )}
      {open && found.isError && <p className="clash-text small">They could not be made: {found.error.message}</p>}
      {open && !found.data && !found.isError && <p className="soft small">Matching compressors…</p>}
      {open && found.data && (
        <pre className="mono small panel" style={{ overflowX: "auto" }}>
          {found.data}
        </pre>
      )}
    </section>
  );
}
