import { Button } from "../../parts/Button";
import type { Attempt } from "../../api/client";
import { FindingNote } from "../../parts/FindingNote";
import { ProblemNote } from "../../parts/ProblemNote";
import { moment, outcomeWord, points } from "../../parts/words";

/** What came of the latest attempt, as notes beside the answer space. */
export function MarginNotes({
  attempt,
  changed,
  onMend,
  onBeside,
}: {
  attempt: Attempt;
  changed: boolean;
  onMend(sql: string): void;
  onBeside(): void;
}) {
  return (
    <div className="notes" data-outcome={attempt.outcome}>
      <p className="notes-head">
        {outcomeWord(attempt.outcome)}, {attempt.mark} of {points(attempt.points)}
        <small>
          {moment(attempt.at)}
          {changed && ", for an earlier version of your answer"}
        </small>
      </p>
      {attempt.error && <ProblemNote problem={attempt.error} onMend={onMend} />}
      {attempt.findings.map((finding, i) => (
        <FindingNote key={i} finding={finding} />
      ))}
      {attempt.findings.some((finding) => finding.rows?.length) && (
        <Button size="small" onClick={onBeside}>
          Show beside my rows
        </Button>
      )}
    </div>
  );
}
