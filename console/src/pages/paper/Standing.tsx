import type { Exercise } from "../../api/client";
import { count, moment, outcomeWord, points, stateOf } from "../../parts/words";

const signs = { correct: "✓", incorrect: "✗", rejected: "✗", failed: "!", stopped: "!", done: "" };

/** How one stands on an exercise: the mark that counts, and why, in words first. */
export function Standing({ exercise, changed }: { exercise: Exercise; changed: boolean }) {
  const { outcome, latest, attempts, attempts_used: used, attempts_allowed: allowed } = exercise;
  const { counts_at: countsAt, by_hand: byHand, reason } = exercise;
  const latestCounts = !byHand && latest !== undefined && latest.at === countsAt;
  return (
    <div className="standing" data-outcome={byHand ? "by-hand" : (outcome ?? "none")}>
      <p className="state">
        {stateOf(exercise)}
        {outcome && !byHand && <span aria-hidden="true"> {signs[outcome]}</span>}
      </p>
      <p className="quiet">
        {byHand && reason && `${reason}. `}
        {latestCounts && `Submitted ${moment(latest.at)}${changed ? ", for an earlier version of your answer" : ""}. `}
        {!byHand &&
          latest &&
          countsAt &&
          !latestCounts &&
          `Your attempt of ${moment(countsAt)} counts: it is the best. `}
        {allowed ? `${used} of ${count(allowed, "attempt")} used.` : attempts > 1 && `${count(attempts, "attempt")}.`}
      </p>
      {latest && !latestCounts && (
        <p>
          <strong>
            Latest attempt: {outcomeWord(latest.outcome).toLowerCase()}, {latest.mark} of {points(latest.points)}
          </strong>{" "}
          <span className="quiet">
            {moment(latest.at)}
            {changed && ", for an earlier version of your answer"}
          </span>
        </p>
      )}
    </div>
  );
}
