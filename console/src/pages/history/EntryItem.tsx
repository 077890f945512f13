import { Link, useNavigate } from "react-router";
import { Button } from "../../parts/Button";
import type { Entry } from "../../api/client";
import { FindingNote } from "../../parts/FindingNote";
import { ProblemNote } from "../../parts/ProblemNote";
import { SqlView } from "../../parts/sql/SqlView";
import { count, milliseconds, moment, outcomeWord, points } from "../../parts/words";
import { useSession } from "../../session";
import type { BroughtBack } from "../paper/PaperPage";
import type { ToTry } from "../try/TryPage";
import { Keep } from "./Keep";

/** One run or attempt: when, what, its outcome, its text, and what was found. */
export function EntryItem({ entry, withLearner }: { entry: Entry; withLearner: boolean }) {
  const navigate = useNavigate();
  const { session } = useSession();
  const { paper, exercise } = entry;
  const own = entry.learner === session!.account.name;
  return (
    <li className="entry" data-outcome={entry.outcome}>
      <div className="entry-head">
        <p>
          <strong>
            {entry.kept && `${entry.name || "Kept"}. `}
            {entry.kind === "attempt" ? "Submitted" : "Run"}: {outcomeWord(entry.outcome).toLowerCase()}
            {entry.mark !== undefined && `, ${entry.mark} of ${points(entry.points ?? 0)}`}
            {entry.untold && "; outcome and mark are told later"}
          </strong>
        </p>
        <p>
          {paper && exercise ? (
            <Link to={`/papers/${paper}#${exercise}`}>{entry.title}</Link>
          ) : paper ? (
            <Link to={`/papers/${paper}`}>{paper}</Link>
          ) : (
            entry.dataset
          )}
        </p>
        {withLearner && (
          <p>
            <Link to={`/learners/${entry.learner}`}>{entry.display_name}</Link>
          </p>
        )}
        <p className="quiet">
          {moment(entry.at)}
          {!entry.untold && `; ${count(entry.row_count, "row")}, ${milliseconds(entry.elapsed_ms)}`}
        </p>
        {own && (
          <p className="entry-does">
            <Button
              size="small"
              onClick={() =>
                paper && exercise
                  ? void navigate(`/papers/${paper}#${exercise}`, {
                      state: { exercise, sql: entry.sql } satisfies BroughtBack,
                    })
                  : void navigate("/try", {
                      state: { dataset: entry.dataset, sql: entry.sql } satisfies ToTry,
                    })
              }
            >
              {paper && exercise ? "Open in its exercise" : "Open to try"}
            </Button>{" "}
            <Keep entry={entry} />
          </p>
        )}
      </div>
      <div className="entry-text">
        <SqlView label="Query" text={entry.sql} />
        {entry.error && <ProblemNote problem={entry.error} />}
        {entry.findings.map((finding, i) => (
          <FindingNote key={i} finding={finding} />
        ))}
      </div>
    </li>
  );
}
