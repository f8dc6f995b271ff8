import { useRunning } from "../queries/useRunning";

/** Long work while it runs: what it is, how far it is, and an end to it. */
export function Running() {
  const [jobs, stop] = useRunning();
  return (
    <>
      {jobs.map((job) => (
        <div key={job.id} className="banner said running" role="status">
          <span>{job.title}</span>
          {job.waits ? (
            <span className="soft small">waits for its turn</span>
          ) : (
            <progress max={Math.max(1, job.of)} {...(job.of > 0 && { value: job.done })} aria-label={job.title} />
          )}
          {job.of > 0 && (
            <span className="mono small">
              {job.done} of {job.of}
            </span>
          )}
          <button
            type="button"
            className="btn btn-plain ms-auto"
            aria-label={`Stop: ${job.title}`}
            onClick={() => stop(job.id)}
          >
            Stop
          </button>
        </div>
      ))}
    </>
  );
}
