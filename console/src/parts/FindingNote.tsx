import type { Finding } from "../api/client";
import { RowsTable } from "./RowsTable";

/**
 * One finding, as a note in the margin: a sentence, then the rows that show it. A likely cause stands first, and says
 * that it is one.
 */
export function FindingNote({ finding }: { finding: Finding }) {
  return (
    <div className="finding" data-kind={finding.kind}>
      <p>
        {finding.kind.startsWith("cause-") && <span className="cause">Likely cause: </span>}
        {finding.sentence}
      </p>
      <Evidence finding={finding} />
    </div>
  );
}

/** The rows that show what a finding says; of values that differ, what they are beside what is expected. */
export function Evidence({ finding }: { finding: Finding }) {
  const { columns = [], rows = [] } = finding;
  if (!rows.length) return null;
  const names = toldApart(columns);
  const marks: Record<number, string> = {};
  if (showsExpected(finding)) {
    const own = ownCell(finding);
    marks[own] = "yours";
    marks[columns.length - 1] = "expected";
    names[columns.length - 1] = `expected ${names[own]}`;
  }
  return <RowsTable columns={names} rows={rows} marks={marks} />;
}

/** Whether a finding's rows are one's own with an expected value beside. */
export function showsExpected({ columns = [], places = [] }: Finding) {
  return places.length === 1 && columns.at(-1) === "expected" && columns.length > 1;
}

/** Where one's own value stands in such rows: they have all columns of the attempt, or that one alone. */
export function ownCell({ columns = [], places = [] }: Finding) {
  return columns.length === 2 ? 0 : places[0] - 1;
}

/** Columns of the same name are told by their places. */
function toldApart(names: string[]) {
  return names.map((name, i) => (names.indexOf(name) !== names.lastIndexOf(name) ? `${name} (column ${i + 1})` : name));
}
