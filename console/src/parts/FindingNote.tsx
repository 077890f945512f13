import type { Finding } from "../api/client";
import { RowsTable } from "./RowsTable";
import { WrongAnswer } from "./WrongAnswer";

/**
 * One finding, as a note in the margin: a sentence, then the rows that show it. A cause stands first, says whether it
 * is proven, and shows its place in the text.
 */
export function FindingNote({ finding }: { finding: Finding }) {
  const { kind, sentence, proven, where, edit, hint } = finding;
  return (
    <div className="finding" data-kind={kind}>
      <p>
        {kind.startsWith("cause-") && <span className="cause">{proven ? "Cause: " : "Likely cause: "}</span>}
        {sentence}
      </p>
      {where && <Place {...where} />}
      {edit && (
        <>
          <p className="quiet">{hint ? `So it is right. ${told[hint] ?? ""}` : "So it is right:"}</p>
          <WrongAnswer edit={edit} short label="What would be right" />
        </>
      )}
      <Evidence finding={finding} />
    </div>
  );
}

/** What the learner is told, as instructors read it. */
const told: Record<string, string> = {
  none: "The learner is told nothing of the cause.",
  clause: "The learner is told where it is.",
  kind: "The learner is told all but this text.",
  edit: "The learner is told this, too.",
};

/** A line of the text with a part marked, or the place where something is missing. */
function Place({ line, column, length, text }: NonNullable<Finding["where"]>) {
  const letters = Array.from(text); // columns count characters
  const from = column - 1;
  return (
    <>
      <p className="quiet">Line {line}:</p>
      <pre className="place" role="group" aria-label={`Line ${line}`}>
        {letters.slice(0, from).join("")}
        {length > 0 ? (
          <mark>{letters.slice(from, from + length).join("")}</mark>
        ) : (
          <mark className="gap" role="img" aria-label="something is missing here">
            ‸
          </mark>
        )}
        {letters.slice(from + length).join("")}
      </pre>
    </>
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
