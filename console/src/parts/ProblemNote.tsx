import { Button } from "./Button";
import type { Problem } from "../api/client";

interface Props {
  problem: Problem;
  /** Takes the text without its slip, where one is offered. */
  onMend?(sql: string): void;
}

/** What went wrong. Of a query: what the database said, with the place marked, and what that means. */
export function ProblemNote({ problem, onMend }: Props) {
  const { place, hint, mended } = problem;
  const ofQuery = problem.type === "examen:database-error";
  return (
    <div className="problem" role="alert">
      {ofQuery && <p className="quiet">The database says:</p>}
      <p>
        <strong>{problem.title}</strong>
      </p>
      {hint && <p className="quiet">{hint}</p>}
      {ofQuery && place && !place.file && (
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
      <p>{problem.detail}</p>
      {mended && onMend && (
        <>
          <p className="quiet">Corrected:</p>
          <pre className="mended">{mended}</pre>
          <Button size="small" onClick={() => onMend(mended)}>
            Use this version
          </Button>
        </>
      )}
    </div>
  );
}
