import { useEffect, useState } from "react";
import { Form } from "react-bootstrap";
import type { Move, View } from "../../api/types";
import { usePlayer } from "../../audio/usePlayer";
import { figure, noteOf } from "../../controls/figures";
import { useEditor } from "../../queries/editor";

const LOW_HZ = 25;
const HIGH_HZ = 400;
const STEPS = 240;
const SWEEP_Q = 3;
const LEAST_Q = 1.2;

interface Props {
  view: View;
  /** The move in the hand: its band is heard alone where that is wanted. */
  held: Move | null;
}

/** Listening into bands: the one under the hand alone, or one that stands out while it is swept by ear. */
export function Listen({ view, held }: Props) {
  const editor = useEditor();
  const [player] = usePlayer();
  const [alone, setAlone] = useState(false);
  const [sweeping, setSweeping] = useState(false);
  const [step, setStep] = useState(Math.round(STEPS / 3));
  const hz = LOW_HZ * (HIGH_HZ / LOW_HZ) ** (step / STEPS);
  useEffect(() => {
    if (held && alone) player.probe({ kind: "alone", hz: held.frequency_hz, q: Math.max(LEAST_Q, held.q) });
    else player.probe(sweeping ? { kind: "out", hz, q: SWEEP_Q } : null);
  }, [player, held, alone, sweeping, hz]);
  useEffect(() => () => player.probe(null), [player]);
  const { sheet } = editor.track;
  const zone = view.report.clearance.bands.reduce((best, band) =>
    Math.abs(Math.log(band.centre_hz / hz)) < Math.abs(Math.log(best.centre_hz / hz)) ? band : best,
  ).zone;
  return (
    <div className="d-flex gap-4 align-items-center my-2">
      <Form.Check
        type="switch"
        id="band-alone"
        className="text-nowrap"
        label="Hear a dragged move's band alone"
        checked={alone}
        onChange={() => setAlone(!alone)}
      />
      <Form.Check
        type="switch"
        id="band-sweep"
        className="text-nowrap"
        label="Sweep by ear"
        title="One band stands out by 9 dB while all the rest goes down: nothing gets louder"
        checked={sweeping}
        onChange={() => setSweeping(!sweeping)}
      />
      {sweeping && (
        <>
          <input
            type="range"
            aria-label="Frequency that stands out"
            aria-valuetext={figure(hz, "Hz")}
            style={{ width: 220 }}
            min={0}
            max={STEPS}
            value={step}
            onChange={(event) => setStep(Number(event.target.value))}
          />
          <span className="mono text-nowrap" role="status">
            {figure(hz, "Hz")} · {noteOf(hz, sheet.a4_hz, view.strip.rungs, sheet.middle_c)} · {zone}
          </span>
        </>
      )}
    </div>
  );
}
