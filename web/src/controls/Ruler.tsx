import {
  type KeyboardEvent,
  memo,
  type PointerEvent,
  type ReactNode,
  useEffect,
  useId,
  useRef,
  useState,
} from "react";
import { useWidth } from "../plots/useWidth";
import { heldGesture } from "../queries/gesture";
import { type Parameter, useParameter } from "../queries/parameters";
import { figure, noteOf } from "./figures";
import { useLandmarks } from "./landmarks";
import { useHeld } from "./useHeld";
import "./ruler.css";
import { shareOf, stepped, type Tick, ticksOf, typedNumber, valueAt } from "./scale";

const PAD = 8;
const LINE_Y = 22;
const SAME_GESTURE_MS = 900;

interface Props {
  model: string;
  name: string;
  value: number;
  onChange: (value: number, gesture: string) => void;
  label?: string;
  /** Meaning of the bar: which part it belongs to. */
  tone?: "kick" | "bass" | "room";
  /** Small controls at the end of the head. */
  tools?: ReactNode;
  /** The user's own lowest and highest value. */
  own?: [number, number] | undefined;
}

/** A horizontal scale with landmarks: drag, wheel, type, arrow keys (Shift fine), double-click for the default. */
export function Ruler({ model, name, value: given, onChange, label, tone = "kick", tools, own }: Props) {
  const parameter = useParameter(model, name);
  const [value, hold] = useHeld(given);
  const marks = useLandmarks();
  const pitched = parameter.unit === "Hz" && (name.startsWith("landing") || name.startsWith("blip"));
  const [typing, setTyping] = useState<string | null>(null);
  const gesture = useRef({ id: "", at: 0 });
  const box = useRef<HTMLDivElement>(null);
  const place = useRef<DOMRect | null>(null);
  const [follow, width] = useWidth(250);
  const id = useId();
  const title = label ?? parameter.title;

  const change = (next: number, fresh: boolean) => {
    const now = performance.now();
    if (fresh || now - gesture.current.at > SAME_GESTURE_MS) gesture.current.id = heldGesture();
    gesture.current.at = now;
    if (next === value) return;
    // The ruler itself moves at once; everything that follows from it may take its time.
    hold(next);
    onChange(next, gesture.current.id);
  };
  const latest = useRef(change);
  latest.current = change;
  const current = useRef(value);
  current.current = value;

  // React's wheel listener is passive and could not keep the bench from scrolling.
  useEffect(() => {
    const element = box.current;
    const wheel = (event: WheelEvent) => {
      if (document.activeElement !== element) return;
      event.preventDefault();
      latest.current(stepped(current.current, event.deltaY < 0 ? 1 : -1, event.shiftKey, parameter), false);
    };
    element?.addEventListener("wheel", wheel, { passive: false });
    return () => element?.removeEventListener("wheel", wheel);
  }, [parameter]);

  const drag = (event: PointerEvent<HTMLDivElement>, fresh: boolean) => {
    // Asked for once: within a movement the page would be laid out for every answer.
    if (fresh || !place.current) place.current = event.currentTarget.getBoundingClientRect();
    const rect = place.current;
    const share = ((event.clientX - rect.left) / rect.width - PAD / width) / (1 - (2 * PAD) / width);
    change(valueAt(share, parameter), fresh);
  };
  const key = (event: KeyboardEvent) => {
    const up = event.key === "ArrowRight" || event.key === "ArrowUp";
    if (up || event.key === "ArrowLeft" || event.key === "ArrowDown") {
      event.preventDefault();
      change(stepped(value, up ? 1 : -1, event.shiftKey, parameter), false);
    } else if (event.key === "Home") change(parameter.minimum, true);
    else if (event.key === "End") change(parameter.maximum, true);
    else if (event.key === "Enter") setTyping(String(value));
  };
  const commit = () => {
    const next = typedNumber(typing ?? "");
    setTyping(null);
    if (!Number.isFinite(next)) return;
    change(Math.min(parameter.maximum, Math.max(parameter.minimum, next)), true);
  };
  const x = (share: number) => placeOf(share, width);
  const at = x(shareOf(value, parameter));
  const zero = parameter.minimum < 0 && parameter.maximum > 0 ? x(shareOf(0, parameter)) : PAD;
  const text = figure(value, parameter.unit);
  const second = secondUnit(value, parameter, pitched, marks);

  return (
    <div className="ruler" title={parameter.description} ref={follow}>
      <div className="head">
        <span className="name" id={id}>
          {title}
        </span>
        {tools && <span className="tools-at">{tools}</span>}
        {typing === null ? (
          <button
            type="button"
            className="value"
            // The ruler is the stop: Enter types there.
            tabIndex={-1}
            onClick={() => setTyping(String(value))}
            aria-label={`${text}, type ${title}`}
          >
            {text}
          </button>
        ) : (
          <input
            // biome-ignore lint/a11y/noAutofocus: the user asked to type here
            autoFocus
            value={typing}
            aria-label={`${title} in ${parameter.unit || "its own unit"}`}
            // What is typed takes the place of what is there.
            onFocus={(event) => event.target.select()}
            onChange={(event) => setTyping(event.target.value)}
            onBlur={commit}
            onKeyDown={(event) => {
              event.stopPropagation();
              if (event.key === "Enter") commit();
              else if (event.key === "Escape") setTyping(null);
              else return;
              // The keyboard goes on where it was.
              box.current?.focus();
            }}
          />
        )}
        {second && <span className="second">{second}</span>}
      </div>
      <div
        ref={box}
        className="scale"
        role="slider"
        tabIndex={0}
        aria-labelledby={id}
        aria-valuemin={parameter.minimum}
        aria-valuemax={parameter.maximum}
        aria-valuenow={value}
        aria-valuetext={[
          text,
          second,
          own && `own range ${figure(own[0], parameter.unit)} to ${figure(own[1], parameter.unit)}`,
        ]
          .filter(Boolean)
          .join(", ")}
        onKeyDown={key}
        onDoubleClick={() => change(parameter.default, true)}
        onPointerDown={(event) => {
          if (event.button !== 0) return;
          event.currentTarget.setPointerCapture(event.pointerId);
          event.currentTarget.focus();
          drag(event, true);
        }}
        onPointerMove={(event) => {
          if (event.buttons & 1 && event.currentTarget.hasPointerCapture(event.pointerId)) drag(event, false);
        }}
      >
        <svg width={width} height={34} aria-hidden="true">
          <Ticks parameter={parameter} bpm={marks.bpm} notes={pitched ? marks.noteTicks : null} width={width} />
          {own && (
            <path
              d={`M${x(shareOf(own[0], parameter))} ${LINE_Y - 5}v10M${x(shareOf(own[1], parameter))} ${LINE_Y - 5}v10`}
              stroke="var(--ink)"
              strokeWidth={2}
            />
          )}
          <line x1={zero} x2={at} y1={LINE_Y} y2={LINE_Y} stroke={`var(--${tone})`} strokeWidth={3} />
          <path d={`M${at} ${LINE_Y + 2}l5.5 9h-11z`} fill="var(--ink)" />
        </svg>
      </div>
    </div>
  );
}

const placeOf = (share: number, width: number) => PAD + share * (width - 2 * PAD);

interface TicksProps {
  parameter: Parameter;
  bpm: number;
  notes: Tick[] | null;
  width: number;
}

/** The scale itself, which stays as it is while the ruler moves. */
const Ticks = memo(function Ticks({ parameter, bpm, notes, width }: TicksProps) {
  return (
    <>
      {ticksOf(parameter, { bpm, ...(notes ? { notes } : {}) }).map((tick) => {
        const place = placeOf(shareOf(tick.value, parameter), width);
        return (
          <g key={tick.label}>
            <line x1={place} x2={place} y1={13} y2={LINE_Y} stroke="var(--soft)" strokeWidth={1} />
            <text x={Math.min(width - 12, Math.max(12, place))} y={9} textAnchor="middle">
              {tick.label}
            </text>
          </g>
        );
      })}
      <line x1={PAD} x2={width - PAD} y1={LINE_Y} y2={LINE_Y} stroke="var(--line)" strokeWidth={2} />
    </>
  );
});

/** What a value without a unit is called, or what it lies between. */
function inWords(value: number, words: [number, string][]): string | null {
  const exact = words.find(([at]) => Math.abs(at - value) < 0.005);
  if (exact) return exact[1];
  const above = words.findIndex(([at]) => at > value);
  const [low, high] = [words[above - 1]?.[1], words[above]?.[1]];
  return low && high ? `${low} to ${high}` : null;
}

function secondUnit(
  value: number,
  parameter: Parameter,
  pitched: boolean,
  marks: ReturnType<typeof useLandmarks>,
): string | null {
  if (parameter.words) return inWords(value, parameter.words);
  if (parameter.unit === "ms" && value >= 10) return figure((value * marks.bpm) / 60000, "beat");
  if (parameter.unit === "Hz" && pitched) return noteOf(value, marks.a4Hz, marks.rungs, marks.middleC);
  if (parameter.unit === "cents" && parameter.maximum > 100) {
    return figure(value / 100, "semitones", { sign: true });
  }
  if (parameter.unit === "dB" && value <= 0 && parameter.minimum < 0) {
    return figure(100 * 10 ** (value / 20), "%");
  }
  return null;
}
