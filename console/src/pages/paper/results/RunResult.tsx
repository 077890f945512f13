import { Suspense, useRef, useState } from "react";
import { Button } from "../../../parts/Button";
import type { Run } from "../../../api/client";
import { Grid, type GridHandle } from "../../../parts/grid/Grid";
import { lazily } from "../../../parts/lazily";
import { ProblemNote } from "../../../parts/ProblemNote";
import { count, milliseconds } from "../../../parts/words";
import { Comparison } from "./Comparison";
import { RowsMenu } from "./RowsMenu";
import { Statements } from "./Statements";
import { mostRows, useAllRows } from "./useAllRows";

const Chart = lazily(() => import("./Chart").then((m) => m.Chart));

/** What can be shown beneath a result, one at a time. */
export type Beneath = "chart" | "comparison" | null;

interface Props {
  run: Run;
  /** How many rows are in sight at once. */
  most: number;
  /** Earlier runs of the same answer space, the latest first. */
  earlier: Run[];
  onMend?(sql: string): void;
}

/** What a run came to: its rows, or what went wrong. */
export function RunResult({ run, most, earlier, onMend }: Props) {
  if (run.statements) {
    return (
      <div className="result" data-run={run.id}>
        {run.statements.length === 1 && !run.error && !run.statements[0].done ? (
          <RunRows key={run.id} run={run} most={most} earlier={earlier} />
        ) : (
          <Statements run={run} most={most} />
        )}
        {run.error && <ProblemNote problem={run.error} onMend={onMend} />}
        {run.rolled_back && <p role="status">A transaction was still open at the end, and is rolled back.</p>}
      </div>
    );
  }
  if (run.error && run.rows.length === 0) return <ProblemNote problem={run.error} onMend={onMend} />;
  return (
    <div className="result" data-run={run.id}>
      {run.error && <ProblemNote problem={run.error} onMend={onMend} />}
      <RunRows key={run.id} run={run} most={most} earlier={earlier} />
    </div>
  );
}

function RunRows({ run, most, earlier }: Omit<Props, "onMend">) {
  const { rows, fetched, problem, fetchOn, stop } = useAllRows(run);
  const grid = useRef<GridHandle>(null);
  const [beneath, setBeneath] = useState<Beneath>(null);
  const more = run.truncated && rows.length < run.row_count && rows.length < mostRows;
  return (
    <>
      {run.columns.length > 0 && (
        <Grid ref={grid} label="Rows of the result" columns={run.columns} rows={rows} most={most} />
      )}
      <div className="result-foot">
        <p className="quiet" role="status">
          {run.error ? `The first ${count(rows.length, "row")} of more` : count(run.row_count, "row")},{" "}
          {milliseconds(run.elapsed_ms)}
          {!run.error &&
            rows.length < run.row_count &&
            `; the first ${rows.length.toLocaleString("en")} of them are shown`}
          {fetched !== null && `; ${count(fetched, "row")} fetched`}
        </p>
        {more && !run.error && fetched === null && (
          <Button size="small" onClick={() => void fetchOn()} title="The query is run again">
            {run.row_count > mostRows ? `Fetch the first ${mostRows.toLocaleString("en")}` : "Fetch all"}
          </Button>
        )}
        {fetched !== null && (
          <Button size="small" onClick={stop}>
            Stop
          </Button>
        )}
        <RowsMenu run={run} grid={grid} earlier={earlier} beneath={beneath} onBeneath={setBeneath} />
      </div>
      {problem && <ProblemNote problem={problem} />}
      {beneath === "chart" && (
        <Suspense>
          <Chart columns={run.columns} rows={rows} />
        </Suspense>
      )}
      {beneath === "comparison" && <Comparison run={run} rows={rows} earlier={earlier} />}
    </>
  );
}
