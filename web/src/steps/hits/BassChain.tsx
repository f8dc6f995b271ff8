import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { BASS, bassOf, withPart } from "../../api/parts";
import { useEditor } from "../../queries/editor";
import { chainQuery } from "../../queries/queries";
import { Chain } from "./Chain";
import { DriveHighs } from "./DriveHighs";

/** What the whole line goes through, whatever the bass is made of. */
export function BassChain() {
  const editor = useEditor();
  const { settled: state } = editor;
  const measured = useQuery({
    ...chainQuery(state.id, state.revision, "bass"),
    enabled: bassOf(state.track).chain.length > 0,
    placeholderData: keepPreviousData,
  });
  const chain = bassOf(editor.track).chain;
  const current = bassOf(state.track).chain.length === chain.length;
  return (
    <section aria-label="Chain">
      <div className="bench-head">
        <h3>Chain</h3>
        <span className="soft">the whole line before its level; envelopes begin with each note</span>
        <DriveHighs part="bass" />
      </div>
      <Chain
        name="The line"
        part="bass"
        layer={null}
        tone="bass"
        without={["width"]}
        chain={chain}
        changes={current ? (measured.data?.changes ?? []) : []}
        onChange={(label, change, gesture) =>
          editor.edit(
            label,
            (track) => withPart(track, BASS, (one) => ({ ...one, chain: change(one.chain) })),
            gesture,
          )
        }
      />
    </section>
  );
}
