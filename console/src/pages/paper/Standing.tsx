import type { Exercise } from "../../api/client";
import { count, moment, stateOf, verdict } from "../../parts/words";

const signs = { correct: "✓", incorrect: "✗", rejected: "✗", failed: "!", stopped: "!", done: "" };

/** How one stands on an exercise: the mark that counts, and why, in words first. */
export function Standing({ exercise, changed }: { exercise: Exercise; changed: boolean }) {
  const { outcome, latest, attempts, attempts_used: used, attempts_allowed: allowed } = exercise;
  const { counts_at: countsAt, by_hand: byHand, reason } = exercise;
  const latestCounts = !byHand && latest !== undefined && latest.at === countsAt;
  const howMany = allowed
    ? `${used} of ${count(allowed, "attempt")} used.`
    : attempts > 1 && `${count(attempts, "attempt")}.`;
  if (exercise.untold && latest)
    return (
      <div className="standing" data-outcome="none">
        <p className="state">Submitted</p>
        <p className="quiet">
          {moment(latest.at)}
          {changed && ", for an earlier version of your answer"}. Outcome and mark are told later. {howMany}
        </p>
      </div>
    );
  return (
    <div className="standing" data-outcome={byHand ? "by-hand" : (outcome ?? "none")}>
      <p className="state">
        {stateOf(exercise)}
        {outcome && !byHand && <span aria-hidden="true"> {signs[outcome]}</span>}
      </p>
      <p className="quiet">
        {byHand && reason && `${reason}. `}
        {latest?.rechecked ? `Checked again ${moment(latest.rechecked)}. ` : ""}
        {latestCounts && latest.deducted ? `${latest.deducted} % off for coming late. ` : ""}
        {latestCounts && `Submitted ${moment(latest.at)}${changed ? ", for an earlier version of your answer" : ""}. `}
        {!byHand && latest && countsAt && !latestCounts && `Your attempt of ${moment(countsAt)} counts. `}
        {howMany}
      </p>
      {latest && !latestCounts && (
        <p>
          <strong>
            Latest attempt: {verdict(latest)}
            {latest.deducted ? ` (${latest.deducted} % off for coming late)` : ""}
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
