import { Suspense } from "react";
import type { Problem } from "../../api/client";
import { heightOf } from "../../parts/grid/height";
import { lazily } from "../../parts/lazily";
import { ProblemNote } from "../../parts/ProblemNote";
import { count, milliseconds } from "../../parts/words";
import { changesIn } from "../../work/copies";
import type { Tried } from "./useTry";

const Grid = lazily(() => import("../../parts/grid/Grid").then((m) => m.Grid));
const most = 6; // rows in sight

interface Props {
  tried?: { result?: Tried; problem?: Problem };
  running: boolean;
  /** The text has been changed since it was run. */
  changed: boolean;
  /** What of it a learner is shown, as the check says; undefined where nothing is to be said of that. */
  shows?: string;
}

/** The rows of an accepted answer, and what of them a learner is shown. There is room for them from the start. */
export function TriedResult({ tried, running, changed, shows }: Props) {
  const { result, problem } = tried ?? {};
  const wrong = problem ?? result?.error;
  return (
    <div className="tried" aria-busy={running} style={{ minHeight: heightOf(most) + 56 }}>
      {wrong && <ProblemNote problem={wrong} />}
      {result && !result.error && result.columns.length > 0 && (
        <Suspense>
          <Grid label="Rows of the accepted answer" columns={result.columns} rows={result.rows} most={most} />
        </Suspense>
      )}
      {result && !result.error && result.left && (
        <p className="quiet" role="status">
          In a fresh copy it leaves: {changesIn(result.left).join("; ") || "everything as it was"}.{" "}
          {milliseconds(result.elapsed_ms)}
          {changed && "; the text has been changed since"}
        </p>
      )}
      {result && !result.error && !result.left && (
        <p className="quiet" role="status">
          {count(result.row_count, "row")}, {milliseconds(result.elapsed_ms)}
          {result.truncated && `; the first ${count(result.rows.length, "row")} are here`}
          {result.row_count === 0 && ": every query without rows would be right"}
          {changed && "; the text has been changed since"}. {shows && seen(result, shows)}
        </p>
      )}
    </div>
  );
}

/** What a learner sees of the result before submitting. */
function seen({ columns, row_count: rows, ordered }: Tried, shows: string) {
  const names = columns.map((c) => `${c.name} (${c.type})`).join(", ");
  const order = ordered ? ", and that the order matters" : "";
  switch (shows) {
    case "nothing":
      return "Learners are shown nothing of it.";
    case "count":
      return `Learners are shown the columns ${names} and the number of rows, ${rows}${order}.`;
    case "sample":
      return `Learners are shown the columns ${names}, the number of rows, ${rows}, and the first three${order}.`;
    case "rows":
      return `Learners are shown all of it${order}.`;
    default:
      return `Learners are shown the columns ${names}${order}.`;
  }
}
