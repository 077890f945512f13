import type { Job } from "../../api/client";
import { count } from "../../parts/words";

/** The errors of a build's scripts, each with its place, the database's words and the likely cause. */
export function ScriptErrors({ job }: { job: Job }) {
  const errors = job.errors ?? [];
  return (
    <section>
      <h2>{count(errors.length + (job.more_errors ?? 0), "error")} in the scripts</h2>
      <p className="quiet">A build that was in use before stays in use.</p>
      {errors.slice(0, 200).map((e, i) => (
        <div key={i} className="problem">
          <p>
            <strong>
              {e.file}, line {e.line}
              {e.column > 1 && `, column ${e.column}`}
            </strong>
          </p>
          <p>
            {e.message}
            {e.detail && <span className="quiet"> {e.detail}</span>}
          </p>
          {e.text && <pre>{e.text + "\n" + " ".repeat(Math.max(0, e.column - 1)) + "^"}</pre>}
          {e.statement && e.statement !== e.text && (
            <p className="quiet">
              In the statement that begins <code>{e.statement}</code>
            </p>
          )}
          {e.cause && <p>{e.cause}</p>}
        </div>
      ))}
      {errors.length > 200 && (
        <p className="quiet">The first 200 are shown; the command lists all: examen dataset follow {job.id}</p>
      )}
    </section>
  );
}
