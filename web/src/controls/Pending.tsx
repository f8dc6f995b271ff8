interface Props {
  found: { data?: unknown; isError: boolean; error: { message: string } | null; refetch?: () => unknown };
  /** What is said while it is made, and before the reason where it was not. */
  doing: string;
  failed: string;
}

/** What takes a moment while it is not there: under way, or not made, with a way to ask for it again. */
export function Pending({ found, doing, failed }: Props) {
  const { refetch } = found;
  if (found.isError)
    return (
      <p className="clash-text small">
        {failed}: {found.error?.message}{" "}
        {refetch && (
          <button type="button" className="btn btn-plain" onClick={() => void refetch()}>
            Ask again
          </button>
        )}
      </p>
    );
  return found.data === undefined ? <p className="soft small">{doing}</p> : null;
}
