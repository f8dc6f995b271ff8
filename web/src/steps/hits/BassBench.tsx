import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { BASS, bassIsLayers, bassOf, instrumentOf, LAYERS, withInstrument, withPart } from "../../api/parts";
import type { Hit } from "../../api/types";
import { BarsChoice } from "../../controls/BarsChoice";
import { ModelChoices } from "../../controls/ModelChoices";
import { ModelRulers } from "../../controls/ModelRulers";
import { useEditor } from "../../queries/editor";
import { useDefinition } from "../../queries/parameters";
import { startsQuery } from "../../queries/queries";
import { BassChain } from "./BassChain";
import { partsOf } from "./bassParts";
import { HitBench } from "./HitBench";
import { InTheLoop } from "./InTheLoop";

/** The bass: its instrument by what each ruler shapes, the chain of its line, and its place in the loop. */
export function BassBench({ onHear }: { onHear: Parameters<typeof HitBench>[0]["onHear"] }) {
  const editor = useEditor();
  const { settled } = editor;
  const layered = bassIsLayers(editor.track);
  const subs = useMemo(() => startsQuery(settled.id, settled.revision, settled.track, "sub"), [settled]);
  const cache = useQueryClient();
  const [waiting, setWaiting] = useState(false);
  const empty = bassOf(editor.track).hit.layers.length === 0;
  // Without an observer: leaving the bench does not stop what a choice waits for.
  useEffect(() => {
    if (!layered && empty) void cache.prefetchQuery(subs);
  }, [cache, subs, layered, empty]);
  const bass = instrumentOf(editor.track);
  const definition = useDefinition("Bass");
  const setWith = (hit: Hit | undefined, name: string, value: number | string | boolean, gesture?: string) =>
    editor.edit(
      `Bass ${definition[name]?.title ?? name}`,
      (track) => {
        const made = withInstrument(track, { [name]: value });
        return hit && bassOf(made).hit.layers.length === 0 ? withPart(made, BASS, (one) => ({ ...one, hit })) : made;
      },
      gesture,
    );
  const set = (name: string, value: number | string | boolean, gesture?: string) => {
    if (value !== LAYERS || !empty) return setWith(undefined, name, value, gesture);
    // It begins with something that is heard, however long that is on its way.
    setWaiting(true);
    cache
      .ensureQueryData(subs)
      .then(
        (starts) => setWith(starts[0]?.hit, name, value, gesture),
        () => setWith(undefined, name, value, gesture),
      )
      .finally(() => setWaiting(false));
  };
  const parts = partsOf(bass.source, bass.layered);
  return (
    <section aria-label="Bench of the bass" aria-busy={waiting}>
      <div className="bench-head">
        <h2>Bass</h2>
        <ModelChoices model="Bass" values={bass} skip={layered ? ["layered"] : []} onChange={set} />
      </div>
      {bass.source === "recorded line" && (
        <div style={{ width: 180 }}>
          <BarsChoice model="Bass" value={bass.fit_bars} onChange={(bars) => set("fit_bars", bars)} />
        </div>
      )}
      {parts.map((part) => (
        <section key={part.title} aria-label={part.title}>
          <div className="bench-head">
            <h3>{part.title}</h3>
            <span className="soft">{part.help}</span>
          </div>
          <ModelRulers model="Bass" values={bass} only={part.names} tone="bass" onChange={set} />
        </section>
      ))}
      {layered && <HitBench key={BASS} one={bassOf(editor.track)} onHear={onHear} />}
      <BassChain />
      <div className="bench-head">
        <h3>In the loop</h3>
      </div>
      <InTheLoop
        one={bassOf(editor.track)}
        track={editor.track}
        onChange={(label, change, gesture) => editor.edit(label, (track) => withPart(track, BASS, change), gesture)}
      />
    </section>
  );
}
