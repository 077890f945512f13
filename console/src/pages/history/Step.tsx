import type { Entry } from "../../api/client";
import { FindingNote } from "../../parts/FindingNote";
import { ProblemNote } from "../../parts/ProblemNote";
import { SqlView } from "../../parts/sql/SqlView";
import { count, moment, outcomeWord, points, timeLeft } from "../../parts/words";
import { Lines } from "../paper/Lines";
import { Margin } from "./Margin";

/** A step of a timeline: what was done, what changed since the step before at that exercise, and what came of it. */
export function Step({ steps, at }: { steps: Entry[]; at: number }) {
  const step = steps[at];
  const before = steps.slice(0, at).findLast((other) => other.paper === step.paper && other.exercise === step.exercise);
  const passed = before && Date.parse(step.at) - Date.parse(before.at);
  return (
    <article className="step" aria-live="polite">
      <h2>
        {step.title ?? step.paper ?? step.dataset}: {step.kind === "attempt" ? "submitted" : "run"},{" "}
        {outcomeWord(step.outcome).toLowerCase()}
        {step.mark !== undefined && `, ${step.mark} of ${points(step.points ?? 0)}`}
      </h2>
      <p className="quiet">
        {moment(step.at)}
        {passed !== undefined && `, ${timeLeft(passed)} after the step before`}; {count(step.row_count, "row")}.
      </p>
      {before && <Lines from={before.sql} to={step.sql} />}
      {(!before || before.sql.trim() === step.sql.trim()) && <SqlView label="Query" text={step.sql} />}
      {step.error && <ProblemNote problem={step.error} />}
      {step.findings.map((finding, i) => (
        <FindingNote key={i} finding={finding} />
      ))}
      {step.kind === "attempt" && <Margin attempt={step} />}
    </article>
  );
}
