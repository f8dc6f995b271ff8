import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { type KeyboardEvent, type PointerEvent, useState } from "react";
import { Form } from "react-bootstrap";
import { api } from "../../api/client";
import type { LoadedTake, Recut } from "../../api/types";
import { usePlayer } from "../../audio/usePlayer";
import { Choice } from "../../controls/Choice";
import { figure } from "../../controls/figures";
import { useNotices } from "../../frame/notices";
import { useWidth } from "../../plots/useWidth";
import { useEditor } from "../../queries/editor";
import { takesQuery, waveQuery } from "../../queries/queries";
import { wavePath } from "../hits/layers";

const HEIGHT = 120;
const WAYS: { value: Recut["what"]; label: string }[] = [
  { value: "keep", label: "Keep it alone" },
  { value: "silence", label: "Silence it" },
  { value: "take out", label: "Take it out, close the gap" },
  { value: "tail only", label: "Keep its tail only" },
];
/** Half of what is shown, around the middle of the cut; a little beside it. */
const CLOSER = 0.5;
const BESIDE = 0.15;
const PEAK_DB = -1;
const COARSE_STEPS = 100;

/** A stretch of a sound between two handles, to the sample: kept, silenced, taken out, or its tail; heard, then kept. */
export function CutPanel({ take }: { take: LoadedTake }) {
  const [player] = usePlayer();
  const { track } = useEditor();
  const cache = useQueryClient();
  const { say } = useNotices();
  const wholeS = take.duration_ms / 1000;
  const [ends, setEnds] = useState<[number, number]>([(take.onset_ms ?? 0) / 1000, wholeS]);
  const [shown, setShown] = useState<[number, number]>([0, wholeS]);
  const [what, setWhat] = useState<Recut["what"]>("keep");
  const [turn, setTurn] = useState(true);
  const [fadeIn, setFadeIn] = useState(0);
  const [fadeOut, setFadeOut] = useState(5);
  const [toPeak, setToPeak] = useState(false);
  const [offset, setOffset] = useState(false);
  const [trouble, setTrouble] = useState<string | null>(null);
  const [follow, width] = useWidth(840);
  const wave = useQuery({ ...waveQuery(take.id, shown[0], shown[1]), placeholderData: keepPreviousData });
  const [begin, end] = ends;
  const sampleS = 1 / take.sample_rate;
  const how: Recut = {
    begin_s: begin,
    end_s: end,
    what,
    turn,
    fade_in_ms: fadeIn,
    fade_out_ms: fadeOut,
    peak_db: toPeak ? PEAK_DB : null,
    offset,
  };
  const failed = (error: unknown) => setTrouble(error instanceof Error ? error.message : String(error));
  const rate = track.sheet.sample_rate;
  const hear = () => {
    setTrouble(null);
    void player
      .strike(`recut ${take.id} ${JSON.stringify(how)} ${rate}`, () => api.recutSound(take.id, how, rate))
      .catch(failed);
  };
  const keep = async () => {
    setTrouble(null);
    try {
      const made = await api.recut(take.id, how, `${take.name.slice(0, 34)} cut`);
      await cache.invalidateQueries({ queryKey: takesQuery().queryKey });
      say({
        text: `${made.name} is a take of its own: ${figure(made.duration_ms, "ms")}. ${take.name} stays as it is.`,
      });
    } catch (error) {
      failed(error);
    }
  };
  const span = Math.max(16 * sampleS, shown[1] - shown[0]);
  const x = (seconds: number) => (width * (seconds - shown[0])) / span;
  /** An end moved to whole samples, no further than the other end and the sound. */
  const move = (which: 0 | 1, seconds: number) => {
    const whole = Math.round(seconds / sampleS) * sampleS;
    setEnds(
      which === 0
        ? [Math.min(Math.max(0, whole), end - 2 * sampleS), end]
        : [begin, Math.max(Math.min(wholeS, whole), begin + 2 * sampleS)],
    );
  };
  const drag = (which: 0 | 1) => ({
    onPointerDown: (event: PointerEvent<SVGElement>) => {
      if (event.button === 0) event.currentTarget.setPointerCapture(event.pointerId);
    },
    onPointerMove: (event: PointerEvent<SVGElement>) => {
      if (!event.currentTarget.hasPointerCapture(event.pointerId)) return;
      const box = event.currentTarget.ownerSVGElement?.getBoundingClientRect();
      if (box) move(which, shown[0] + (span * (event.clientX - box.left)) / Math.max(1, box.width));
    },
    onKeyDown: (event: KeyboardEvent<SVGElement>) => {
      const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
      if (!by) return;
      event.preventDefault();
      // A sample; with Shift a hundredth of what is shown.
      move(which, ends[which] + by * (event.shiftKey ? span / COARSE_STEPS : sampleS));
    },
  });
  const closer = (factor: number) => {
    const middle = (begin + end) / 2;
    const half = Math.min(wholeS, span * factor) / 2;
    const first = Math.min(Math.max(0, middle - half), Math.max(0, wholeS - 2 * half));
    setShown([first, Math.min(wholeS, first + 2 * half)]);
  };
  const full = wave.data ? Math.max(1e-4, ...wave.data.high.map(Math.abs), ...wave.data.low.map(Math.abs)) : 1;
  const handle = (which: 0 | 1, name: string) => (
    <g
      role="slider"
      tabIndex={0}
      aria-label={name}
      aria-valuemin={0}
      aria-valuemax={Math.round(1000 * wholeS)}
      aria-valuenow={Math.round(1e5 * ends[which]) / 100}
      aria-valuetext={figure(1000 * ends[which], "ms")}
      className="cut-end"
      transform={`translate(${x(ends[which]).toFixed(1)} 0)`}
      {...drag(which)}
    >
      <rect x={which ? -16 : -2} width={18} height={HEIGHT} fill="transparent" />
      <line y2={HEIGHT} stroke="var(--kick)" strokeWidth={2} />
      <rect x={which ? -9 : 0} width={9} height={14} fill="var(--kick)" />
    </g>
  );
  const field = (id: string, label: string, value: number, set: (value: number) => void, step: number) => (
    <div className="field" style={{ width: 130 }}>
      <label htmlFor={id}>{label}</label>
      <input
        id={id}
        className="form-control form-control-sm"
        type="number"
        min={0}
        step={step}
        key={`${id} ${value}`}
        defaultValue={Number(value.toFixed(3))}
        onKeyDown={(event) => {
          event.stopPropagation();
          if (event.key === "Enter") event.currentTarget.blur();
        }}
        onBlur={({ target }) => {
          const next = Number(target.value);
          if (target.value !== "" && Number.isFinite(next) && next >= 0 && Math.abs(next - value) > 5e-4) set(next);
        }}
      />
    </div>
  );
  return (
    <section className="panel" aria-label={`Cut ${take.name}`}>
      <div className="bench-head">
        <h3>Cut {take.name}</h3>
        <span className="soft" role="status">
          {figure(1000 * (end - begin), "ms")} of {figure(1000 * wholeS, "ms")}, from {figure(1000 * begin, "ms")}
        </span>
        <span className="together ms-auto">
          <button type="button" className="btn btn-plain" onClick={() => closer(CLOSER)}>
            Closer
          </button>
          <button type="button" className="btn btn-plain" onClick={() => closer(1 / CLOSER)}>
            Wider
          </button>
          <button
            type="button"
            className="btn btn-plain"
            onClick={() => {
              const beside = BESIDE * (end - begin);
              setShown([Math.max(0, begin - beside), Math.min(wholeS, end + beside)]);
            }}
          >
            To the cut
          </button>
          <button type="button" className="btn btn-plain" onClick={() => setShown([0, wholeS])}>
            All of it
          </button>
        </span>
      </div>
      {(trouble || wave.isError) && <p className="clash-text">{trouble ?? wave.error?.message}</p>}
      <div ref={follow}>
        <svg width={width} height={HEIGHT} role="group" aria-label={`Waveform of ${take.name} with the cut`}>
          <rect width={width} height={HEIGHT} fill="var(--band)" />
          <rect
            x={Math.max(0, x(begin))}
            width={Math.max(0, Math.min(width, x(end)) - Math.max(0, x(begin)))}
            height={HEIGHT}
            fill="var(--kick)"
            opacity={0.14}
          />
          {wave.data && (
            <g
              transform={`translate(${x(wave.data.from_s).toFixed(1)} 0) scale(${((wave.data.to_s - wave.data.from_s) / span).toFixed(6)} 1)`}
            >
              <path d={wavePath(wave.data.low, wave.data.high, width, HEIGHT, full)} fill="var(--ink)" />
            </g>
          )}
          {handle(0, "Where the cut begins")}
          {handle(1, "Where the cut ends")}
        </svg>
      </div>
      <div className="d-flex flex-wrap gap-3 align-items-end mt-2">
        {field("cut-begin", "From, ms", 1000 * begin, (ms) => move(0, ms / 1000), 1)}
        {field("cut-end", "To, ms", 1000 * end, (ms) => move(1, ms / 1000), 1)}
        <div style={{ width: 220 }}>
          <Choice label="What becomes of it" value={what} options={WAYS} onChange={setWhat} />
        </div>
        {field("cut-fade-in", "Fade in, ms", fadeIn, (ms) => setFadeIn(Math.min(2000, ms)), 1)}
        {field("cut-fade-out", "Fade out, ms", fadeOut, (ms) => setFadeOut(Math.min(2000, ms)), 1)}
      </div>
      <div className="d-flex flex-wrap gap-3 align-items-center mt-2">
        <Form.Check
          type="switch"
          id="cut-turn"
          label="At a turn of the wave"
          checked={turn}
          onChange={() => setTurn(!turn)}
        />
        <Form.Check
          type="switch"
          id="cut-peak"
          label={`Peak at ${figure(PEAK_DB, "dB")}`}
          checked={toPeak}
          onChange={() => setToPeak(!toPeak)}
        />
        <Form.Check
          type="switch"
          id="cut-offset"
          label="Without its offset"
          checked={offset}
          onChange={() => setOffset(!offset)}
        />
        <button type="button" className="btn btn-plain" onClick={hear}>
          Hear the cut
        </button>
        <button type="button" className="btn btn-strong" onClick={() => void keep()}>
          Keep the cut
        </button>
      </div>
      <p className="soft small mb-0 mt-2">
        Arrow keys move a handle by one sample, with Shift by a hundredth of what is shown. {take.name} itself stays.
      </p>
    </section>
  );
}
