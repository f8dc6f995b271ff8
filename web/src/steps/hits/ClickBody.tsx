import { useState } from "react";
import { figure } from "../../controls/figures";
import { Typed } from "../../controls/Typed";
import { useEditor } from "../../queries/editor";

interface Props {
  hitId: string;
  name: string;
  /** Of its clicks over its body, as measured. */
  clickDb: number;
}

const MOST_BODY_DB = -40;
const MOST_CLICK_DB = 20;
// What reads the same is not asked for again.
const SAME_DB = 0.05;

/** One balance from body to click, dragged or typed; the hit stays as loud, and what comes out is measured again. */
export function ClickBody({ hitId, name, clickDb }: Props) {
  const editor = useEditor();
  const [held, setHeld] = useState<number | null>(null);
  const now = held ?? clickDb;
  const ask = (click_db: number) => {
    setHeld(null);
    if (Math.abs(click_db - clickDb) <= SAME_DB) return;
    editor.send({ kind: "click-to-body", part: hitId, click_db }, `${name}: click to body`);
  };
  const letGo = () => held !== null && ask(held);
  return (
    <span className="together" title="Layers that are click against all others, the hit as loud as it was">
      <span className="soft">body to click</span>
      <input
        type="range"
        style={{ width: 130 }}
        aria-label={`Body to click of ${name}`}
        aria-valuetext={`click ${figure(now, "dB", { sign: true })} over body`}
        min={MOST_BODY_DB}
        max={MOST_CLICK_DB}
        step={0.1}
        value={Math.min(MOST_CLICK_DB, Math.max(MOST_BODY_DB, now))}
        onChange={(event) => setHeld(Number(event.target.value))}
        onPointerUp={letGo}
        onKeyUp={letGo}
        onBlur={letGo}
      />
      <Typed label={`Click over body of ${name}, dB`} unit="dB" sign value={now} onTyped={ask} />
    </span>
  );
}
