import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { milliseconds } from "../../parts/words";
import { Lines } from "./Lines";

/** The exercises whose answers took longest in the last days. */
export function SlowExercises({ lines }: { lines: Schemas["SlowExercise"][] }) {
  return (
    <Lines
      title="Slowest exercises of the last seven days"
      head={["Exercise", "Checks", "Median", "95 in 100 within", "Longest", "Stopped at a limit"]}
      none={lines.length === 0 ? "Nothing was submitted." : undefined}
    >
      {lines.map((line) => (
        <tr key={`${line.paper}/${line.exercise}`}>
          <td>
            <Link to={`/papers/${line.paper}#${line.exercise}`}>
              {line.paper}/{line.number}
            </Link>{" "}
            {line.title}
          </td>
          <td>{line.checks}</td>
          <td>{milliseconds(line.median_ms)}</td>
          <td>{milliseconds(line.p95_ms)}</td>
          <td>{milliseconds(line.longest_ms)}</td>
          <td>{line.stopped > 0 ? line.stopped : ""}</td>
        </tr>
      ))}
    </Lines>
  );
}
