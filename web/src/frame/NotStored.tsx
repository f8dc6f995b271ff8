import { useEditor } from "../queries/editor";
import type { Trouble } from "../queries/saving";

/** What was not stored, and what can be done about it; what waits is kept and shown until it is stored or given up. */
export function NotStored({ trouble }: { trouble: Trouble }) {
  const { retry, giveUp, dismiss } = useEditor();
  const { message, waiting } = trouble;
  return (
    <div className="banner" role="alert">
      <span>
        {message}
        {waiting > 0 && ` ${waiting === 1 ? "Your change is" : `Your ${waiting} changes are`} kept here until then.`}
      </span>
      {waiting > 0 ? (
        <>
          <button type="button" className="btn btn-plain ms-auto" onClick={retry}>
            Try again
          </button>
          <button type="button" className="btn btn-plain" onClick={giveUp}>
            Give the change up
          </button>
        </>
      ) : (
        <button type="button" className="btn btn-plain ms-auto" onClick={dismiss}>
          Close
        </button>
      )}
    </div>
  );
}
