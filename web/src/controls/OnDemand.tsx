import type { ReactNode } from "react";
import { Pending } from "./Pending";

interface Props<T> {
  /** Name of the section, for those who do not see it. */
  label: string;
  title: string;
  hint: string;
  /** What the button says: to ask for it, and its full name where that says too little. */
  verb: string;
  asks?: string;
  open: boolean;
  onOpen: (open: boolean) => void;
  found: { data?: T | undefined; isError: boolean; error: { message: string } | null; refetch?: () => unknown };
  doing: string;
  failed: string;
  /** What is said where there is nothing. */
  nothing?: string;
  trouble?: string | null;
  /** Buttons beside the first, while it is open and there. */
  tools?: (data: T) => ReactNode;
  children: (data: T) => ReactNode;
}

const isEmpty = (data: unknown) => Array.isArray(data) && data.length === 0;

/** A part of a step that takes a moment and is made when it is asked for: pending, failed, empty, or what was found. */
export function OnDemand<T>({ label, title, hint, verb, asks, open, onOpen, found, ...rest }: Props<T>) {
  const { data } = found;
  const ready = open && data !== undefined;
  return (
    <section aria-label={label}>
      <div className="bench-head">
        <h3>{title}</h3>
        <span className="soft">{hint}</span>
        <span className="ms-auto" />
        {ready && rest.tools?.(data)}
        <button
          type="button"
          className="btn btn-plain"
          aria-expanded={open}
          aria-label={open ? `Close: ${title}` : asks}
          onClick={() => onOpen(!open)}
        >
          {open ? "Close" : verb}
        </button>
      </div>
      {rest.trouble && <p className="clash-text small mb-1">{rest.trouble}</p>}
      {open && <Pending found={found} doing={rest.doing} failed={rest.failed} />}
      {ready && isEmpty(data) && <p className="soft small">{rest.nothing}</p>}
      {ready && !isEmpty(data) && rest.children(data)}
    </section>
  );
}
