import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { OnDemand } from "../../controls/OnDemand";
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
    <OnDemand
      label="Settings of every duck"
      title="Settings of every duck"
      hint="numbers to type in elsewhere; also in the download as ducks.txt"
      verb="Show"
      asks="Show the settings"
      open={open}
      onOpen={(now) => {
        setOpen(now);
        setCopied(null);
      }}
      found={found}
      doing="Matching compressors…"
      failed="They could not be made"
      tools={(text) => (
        <>
          <button type="button" className="btn btn-plain" onClick={() => void copy(text)}>
            Copy
          </button>
          <button type="button" className="btn btn-plain" onClick={() => window.print()}>
            Print
          </button>
        </>
      )}
    >
      {(text) => (
        <>
          {copied && (
            <p className="small soft mb-1" role="status">
              {copied}
            </p>
          )}
          <pre className="mono small panel print-sheet" style={{ overflowX: "auto" }}>
            {text}
          </pre>
        </>
      )}
    </OnDemand>
  );
}
