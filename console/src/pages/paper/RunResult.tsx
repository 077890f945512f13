import type { Run } from "../../api/client";
import { ProblemNote } from "../../parts/ProblemNote";
import { RowsTable } from "../../parts/RowsTable";
import { count, milliseconds } from "../../parts/words";

/** What a run came to: its rows, or what went wrong. */
export function RunResult({ run, onMend }: { run: Run; onMend?(sql: string): void }) {
  if (run.error) return <ProblemNote problem={run.error} onMend={onMend} />;
  return (
    <div className="result">
      <RowsTable columns={run.columns.map((c) => c.name)} types={run.columns.map((c) => c.type)} rows={run.rows} />
      <p className="quiet" role="status">
        {count(run.row_count, "row")}, {milliseconds(run.elapsed_ms)}
        {run.truncated && `; the first ${run.rows.length.toLocaleString("en")} are shown`}
      </p>
    </div>
  );
}
