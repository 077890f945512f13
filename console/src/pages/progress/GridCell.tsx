import { memo } from "react";
import { Link } from "react-router";
import { isStuck, type Cell } from "./view";

/** What is shown of a cell: its outcome, or by shades how many attempts or how much time it took. */
export type Show = "outcome" | "attempts" | "time";

interface Props {
  cell: Cell;
  to: string;
  show: Show;
  most: number;
  column: number;
  start: number;
  width: number;
}

const manyHidden = 10; // attempts

export const GridCell = memo(function GridCell({ cell, to, show, most, column, start, width }: Props) {
  const amount = amountOf(cell, show);
  const shade = most > 0 ? Math.round((40 * amount) / most) : 0;
  return (
    <span
      role="cell"
      aria-colindex={column}
      className="cell"
      data-outcome={show === "outcome" ? cell.outcome : undefined}
      style={{
        left: start,
        width,
        ...(shade > 0 && { background: `color-mix(in srgb, var(--action) ${shade}%, transparent)` }),
      }}
      aria-label={cell.outcome || cell.by_hand ? undefined : "no attempts"}
    >
      {cell.outcome && (
        <Link to={to}>
          {show === "outcome" && (
            <>
              {cell.outcome} <small>{cell.attempts}</small>
            </>
          )}
          {show === "attempts" && cell.attempts}
          {show === "time" && time(cell.worked ?? 0)}
        </Link>
      )}
      {show === "outcome" && <Remark cell={cell} />}
    </span>
  );
});

/** What there is to say of a cell besides its outcome. */
function Remark({ cell }: { cell: Cell }) {
  if (cell.by_hand) return <small>mark {cell.mark} by hand</small>;
  if (isStuck(cell)) return <small title={`${cell.stuck} attempts without coming nearer`}>stuck</small>;
  if ((cell.hidden_only ?? 0) < manyHidden) return null;
  return (
    <small className="hidden-only" title={onHiddenRows}>
      {cell.hidden_only} on hidden rows
    </small>
  );
}

const onHiddenRows =
  "Attempts that were right on all rows that learners see and wrong on hidden ones: " +
  "many may be questions about the hidden rows";

/** What is shown of a cell by shades. */
export function amountOf(cell: Cell, show: Show) {
  if (show === "outcome") return 0;
  return show === "attempts" ? cell.attempts : (cell.worked ?? 0);
}

function time(seconds: number) {
  if (seconds === 0) return "at once";
  if (seconds < 60) return `${seconds} s`;
  const minutes = Math.round(seconds / 60);
  return minutes < 60 ? `${minutes} min` : `${Math.floor(minutes / 60)} h ${minutes % 60} min`;
}
