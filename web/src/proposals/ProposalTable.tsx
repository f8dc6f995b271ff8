import type { ReactNode } from "react";
import { HearAndTake } from "./HearAndTake";

/** Short of a goal by more than this is said. */
export const SHORT_DB = 0.1;

interface Column<T> {
  head: string;
  cell: (one: T) => ReactNode;
  /** Whether the figure is over what is allowed. */
  over?: (one: T) => boolean;
  /** Words, not a figure. */
  words?: true;
}

interface Props<T> {
  label: string;
  /** Name of the first column, and what stands in it: the proposal's name and what is said of it. */
  head: string;
  name: (one: T) => string;
  said?: (one: T) => ReactNode;
  wrap?: true;
  columns: Column<T>[];
  rows: T[];
  id: (one: T) => string;
  verb: "Choose" | "Take";
  help: string;
  heard: boolean;
  taken: boolean;
  /** Rows that are there for comparison, not to be taken. */
  offered?: (one: T) => boolean;
  hearable?: (one: T) => boolean;
  onHear: (one: T) => void;
  onTake: (one: T) => void;
}

/** Ways that were made, rendered and measured: what each costs, heard first, then taken as one step. */
export function ProposalTable<T>({ label, head, columns, rows, ...one }: Props<T>) {
  return (
    <table className="plain" aria-label={label}>
      <thead>
        <tr>
          <th>{head}</th>
          {columns.map((column) => (
            <th key={column.head}>{column.head}</th>
          ))}
          <th>
            <span className="visually-hidden">Acts</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => (
          <tr key={one.id(row)}>
            <td className={one.wrap && "wrap"}>
              {one.offered?.(row) === false ? one.name(row) : <strong>{one.name(row)}</strong>}
              {one.said?.(row)}
            </td>
            {columns.map((column) => (
              <td key={column.head} className={classOf(column, row)}>
                {column.cell(row)}
              </td>
            ))}
            {one.offered?.(row) === false ? (
              <td />
            ) : (
              <HearAndTake
                name={one.name(row)}
                verb={one.verb}
                help={one.help}
                heard={one.heard && (one.hearable?.(row) ?? true)}
                taken={one.taken}
                onHear={() => one.onHear(row)}
                onTake={() => one.onTake(row)}
              />
            )}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const classOf = <T,>(column: Column<T>, row: T): string =>
  column.words ? "soft wrap" : column.over?.(row) ? "mono clash-text" : "mono";
