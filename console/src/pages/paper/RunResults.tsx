import { ProblemNote } from "../../parts/ProblemNote";
import type { Ran } from "./useRuns";
import { RunResult } from "./RunResult";

/** What was run came to: each of several statements with its line. */
export function RunResults({ all, text, onMend }: { all: Ran[]; text: string; onMend?(sql: string): void }) {
  return all.map(({ statement, state, run, problem }, i) => (
    <section key={i} className="ran" aria-busy={state === "running"}>
      {all.length > 1 && (
        <h3>
          Line {statement.line}: <code>{firstLine(statement.text)}</code>
        </h3>
      )}
      {state === "not run" && !run && <p className="quiet">Not run.</p>}
      {state === "stopped" && <p role="status">Stopped.</p>}
      {state === "ended" && !text.includes(statement.text) && (
        <p className="quiet">The text has been changed since this was run.</p>
      )}
      {problem && <ProblemNote problem={problem} />}
      {run && <RunResult run={run} onMend={mend(statement.text)} />}
    </section>
  ));

  function mend(statement: string) {
    // A corrected statement takes the place of the one that was run.
    return onMend && ((sql: string) => onMend(text.includes(statement) ? text.replace(statement, () => sql) : sql));
  }
}

function firstLine(text: string) {
  const line = text.trim().split("\n")[0];
  return line.length > 60 ? line.slice(0, 59) + "…" : line;
}
