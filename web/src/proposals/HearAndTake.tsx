interface Props {
  name: string;
  /** What taking it is called. */
  verb: "Choose" | "Take";
  help: string;
  heard: boolean;
  taken: boolean;
  onHear: () => void;
  onTake: () => void;
}

/** The last cell of a row that offers something: heard first, then taken as one step. */
export function HearAndTake({ name, verb, help, heard, taken, onHear, onTake }: Props) {
  return (
    <td className="text-end text-nowrap">
      <button type="button" className="btn btn-plain" disabled={!heard} aria-label={`Hear: ${name}`} onClick={onHear}>
        Hear
      </button>
      <button
        type="button"
        className="btn btn-plain ms-1"
        disabled={!taken}
        aria-label={`${verb}: ${name}`}
        title={help}
        onClick={onTake}
      >
        {verb}
      </button>
    </td>
  );
}
