import type { Run, Schemas } from "../../../api/client";
import { Grid } from "../../../parts/grid/Grid";
import { count, milliseconds } from "../../../parts/words";

/** What each statement of a run has done, in their order. */
export function Statements({ run, most }: { run: Run; most: number }) {
  const all = run.statements ?? [];
  return (
    <>
      {all.map((statement, i) => (
        <div key={i} className="statement-done">
          <p role="status">
            {all.length > 1 && <span className="quiet">Line {statement.place.line}: </span>}
            {said(statement)} <span className="quiet">{milliseconds(statement.elapsed_ms)}</span>
          </p>
          {statement.notices.map((notice, n) => (
            <p key={n} className="quiet">
              The database remarks: {notice}
            </p>
          ))}
          {statement.columns.length > 0 && (
            <Grid
              label={`Rows of line ${statement.place.line}`}
              columns={statement.columns}
              rows={statement.rows}
              most={all.length > 1 ? Math.min(most, 5) : most}
            />
          )}
        </div>
      ))}
    </>
  );
}

function said({ done, rows, row_count: all }: Schemas["StatementResult"]) {
  if (done) return done + ".";
  return count(all, "row") + (rows.length < all ? `; the first ${rows.length.toLocaleString("en")} are shown.` : ".");
}
