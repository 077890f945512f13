import type { Exercise } from "../../api/client";
import { RowsTable } from "../../parts/RowsTable";
import { count } from "../../parts/words";

/** As much of the expected result as the exercise shows, and its rules. */
export function ExpectedResult({ exercise }: { exercise: Exercise }) {
  const { columns = [], row_count: rowCount, rows = [] } = exercise.expected ?? {};
  const said = [];
  if (exercise.by_state) said.push("What counts is what your statements leave in a fresh copy.");
  if (rowCount !== undefined)
    said.push(`Expected: ${count(rowCount, "row")}${exercise.ordered ? ", in this order" : ""}.`);
  if (exercise.require.length > 0) said.push(`Use ${inWords(exercise.require)}.`);
  if (exercise.forbid.length > 0) said.push(`Do not use ${inWords(exercise.forbid)}.`);
  return (
    <div className="expected quiet">
      {columns.length > 0 && rows.length === 0 && (
        <p>
          Expected columns:{" "}
          {columns.map((c, i) => (
            <span key={i}>
              {i > 0 && ", "}
              <code>{c.name}</code> {c.type}
            </span>
          ))}
          {exercise.named && "; column names must match"}
          {exercise.ordered && rowCount === undefined && "; row order must match"}
        </p>
      )}
      {said.length > 0 && <p>{said.join(" ")}</p>}
      {rows.length > 0 && (
        <RowsTable columns={columns.map((c) => c.name)} types={columns.map((c) => c.type)} rows={rows} />
      )}
    </div>
  );
}

/** Constructs as one writes them: group-by is GROUP BY, table:hive is the table hive. */
function inWords(constructs: string[]) {
  return constructs
    .map((c) => (c.includes(":") ? `the ${c.replace(":", " ")}` : c.replace("-", " ").toUpperCase()))
    .join(", ");
}
