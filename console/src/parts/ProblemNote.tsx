import type { Problem } from "../api/client";

/** What went wrong, with the line of the query marked where there is a place. */
export function ProblemNote({ problem }: { problem: Problem }) {
  const { place } = problem;
  const withPlace = place && !place.file && problem.type === "examen:database-error";
  return (
    <div className="problem" role="alert">
      <p>
        <strong>{problem.title}</strong>
      </p>
      <p>{problem.detail}</p>
      {withPlace && (
        <>
          <p className="quiet">
            Line {place.line}, column {place.column}:
          </p>
          <pre>
            {place.text}
            {"\n" + " ".repeat(Math.max(0, place.column - 1)) + "^"}
          </pre>
        </>
      )}
    </div>
  );
}
