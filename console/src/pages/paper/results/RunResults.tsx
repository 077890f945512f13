import { Suspense } from "react";
import type { Run } from "../../../api/client";
import { heightOf } from "../../../parts/grid/height";
import { lazily } from "../../../parts/lazily";
import { ProblemNote } from "../../../parts/ProblemNote";
import type { Ran } from "./useRuns";

// The grid loads with the first result.
const RunResult = lazily(() => import("./RunResult").then((m) => m.RunResult));

interface Props {
  all: Ran[];
  earlier: Run[];
  text: string;
  onMend?(sql: string): void;
}

/**
 * What was run came to: each of several statements with its line. There is room for it from the moment at which it is
 * run, and rows that do not fit scroll there: what stands below moves when one runs, not when the rows come.
 */
export function RunResults({ all, earlier, text, onMend }: Props) {
  const most = all.length > 1 ? 4 : 8;
  return all.map(({ statement, state, run, problem }, i) => (
    <section
      key={i}
      className="ran"
      aria-busy={state === "running"}
      style={{ minHeight: state === "not run" ? undefined : heightOf(most) + (all.length > 1 ? 98 : 72) }}
    >
      {all.length > 1 && (
        <h3>
          Line {statement.line}: <code>{firstLine(statement.text)}</code>
        </h3>
      )}
      {state === "not run" && <p className="quiet">Not run.</p>}
      {state === "stopped" && <p role="status">Stopped.</p>}
      {problem && <ProblemNote problem={problem} />}
      <Suspense>
        {run && (
          <RunResult
            run={run}
            most={most}
            earlier={earlier.filter((r) => r.id !== run.id)}
            onMend={mend(statement.text)}
          />
        )}
      </Suspense>
      {/* Beneath, so that no row moves while one types. */}
      {state === "ended" && !text.includes(statement.text) && (
        <p className="quiet">The text has been changed since this was run.</p>
      )}
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
