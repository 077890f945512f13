import { Button } from "./Button";
import type { Problem } from "../api/client";

interface Props {
  problem: Problem;
  /** Where there is little room, of a long line only what stands around the place is shown. */
  narrow?: boolean;
  /** Takes the text without its slip, where one is offered. */
  onMend?(sql: string): void;
}

/** What went wrong. Of a query: what the database said, with the place marked, and what that means. */
export function ProblemNote({ problem, narrow = false, onMend }: Props) {
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
          {/* A whole line may be wider than a telephone: then it is moved sideways, by keyboard too. */}
          <pre role="group" aria-label={`Line ${place.line}`} tabIndex={narrow ? undefined : 0}>
            {pointed(place.text, place.column, narrow ? 36 : Infinity)}
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

/** A line with a sign beneath its column; of a line that is wider, what stands around that. */
function pointed(line: string, column: number, width: number) {
  const at = Math.max(0, column - 1);
  const start = line.length <= width ? 0 : Math.max(0, Math.min(at - width / 2, line.length - width));
  const before = start > 0 ? "… " : "";
  const after = line.length > start + width ? " …" : "";
  const shown = before + line.slice(start, start + width) + after;
  return `${shown}\n${" ".repeat(before.length + at - start)}^`;
}
