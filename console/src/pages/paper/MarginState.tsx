import type { Exercise } from "../../api/client";
import { count, stateOf } from "../../parts/words";

const signs = { correct: "✓", incorrect: "✗", rejected: "✗", failed: "!", stopped: "!", done: "" };

/** The exercise's number and state, in words first. */
export function MarginState({ exercise }: { exercise: Exercise }) {
  const { outcome, attempts, attempts_used: used, attempts_allowed: allowed } = exercise;
  return (
    <div className="left-margin">
      <span className="number">{exercise.number}</span>
      <p className="state" data-outcome={outcome ?? "none"}>
        {stateOf(exercise)}
        {outcome && <span aria-hidden="true"> {signs[outcome]}</span>}
      </p>
      {(attempts > 0 || allowed) && (
        <p className="quiet">{allowed ? `${used} of ${count(allowed, "attempt")} used` : count(attempts, "attempt")}</p>
      )}
    </div>
  );
}
