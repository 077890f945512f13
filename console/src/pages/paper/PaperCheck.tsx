import { useMutation } from "@tanstack/react-query";
import { Link } from "react-router";
import { Button } from "../../parts/Button";
import { answer, api, problemOf, type Job, type Schemas } from "../../api/client";
import { ProblemNote } from "../../parts/ProblemNote";
import { RowsTable } from "../../parts/RowsTable";
import { WrongAnswer } from "../../parts/WrongAnswer";
import { useJob } from "../../parts/useJob";
import { count } from "../../parts/words";

/** For instructors: what is wrong or doubtful in the paper's exercises, on its dataset and every variant. */
export function PaperCheck({ paper }: { paper: string }) {
  const begin = useMutation({
    mutationFn: () => answer(api.POST("/api/papers/{paper}/check", { params: { path: { paper } } })),
  });
  const { job, problem } = useJob(begin.data?.id ?? null);
  const wrong = begin.error ? problemOf(begin.error) : (problem ?? (job?.state === "failed" ? job.problem : undefined));
  const going = begin.isPending || (begin.data !== undefined && !wrong && (!job || !ended(job)));
  return (
    <div className="strip paper-check">
      <div className="middle">
        <div className="actions">
          <Button onClick={() => begin.mutate()} loading={going}>
            Check the exercises
          </Button>
          <Link className="button" to={`/papers/${paper}/write`}>
            Write the paper
          </Link>
          <span className="quiet" role="status">
            {said(job)}
          </span>
        </div>
        {wrong && <ProblemNote problem={wrong} />}
        {job?.report?.check?.notes.map((note, i) => (
          <CheckNote key={i} note={note} />
        ))}
        {job?.state === "done" && <Strengths paper={paper} of={job.report?.check?.strengths ?? []} />}
      </div>
    </div>
  );
}

/** How strong the exercises are. */
export function Strengths({ paper, of }: { paper: string; of: Schemas["ExerciseStrength"][] }) {
  if (of.length === 0) return null;
  return (
    <section aria-label="Strength">
      <ul className="strengths">
        {of.map((e) => (
          <li key={e.exercise}>
            {e.number}. {e.title}: {e.strength.sentence}
            {e.strength.crude.length > 0 && (
              <ul>
                {e.strength.crude.map((crude) => (
                  <li key={crude.sql}>
                    Who {crude.does}: {crude.outcome}. {crude.says}
                  </li>
                ))}
              </ul>
            )}
          </li>
        ))}
      </ul>
      {of.some((e) => e.strength.survivors.length > 0) && (
        <p>
          <Link to={`/papers/${paper}/strengthen`}>Search for rows that would tell</Link>
        </p>
      )}
    </section>
  );
}

function ended(job: Job) {
  return ["done", "failed", "stopped"].includes(job.state);
}

/** How far the check is, or what it came to. */
function said(job: Job | null) {
  if (!job) return "Runs every answer, as the paper is being written, on its dataset. Learners do not see this.";
  const check = job.report?.check;
  if (check && job.state === "done") {
    const found = `${count(check.errors, "error")}, ${count(check.warnings, "warning")}`;
    return `${count(check.exercises, "exercise")} checked: ${found}.`;
  }
  return job.state === "failed" ? "" : `${job.progress.step || "Waiting for its turn"} ...`;
}

const severities = { error: "Error", warning: "Warning", note: "Note" };

/** A remark of the examiner. */
export function CheckNote({ note }: { note: Schemas["CheckNote"] }) {
  return (
    <div className="check-note" data-severity={note.severity}>
      <p>
        <strong>{severities[note.severity]}</strong>
        {note.exercise && (
          <>
            {" in "}
            <a href={`#${note.exercise}`}>{note.exercise}</a>
          </>
        )}
        {": "}
        {note.sentence}
      </p>
      {note.rows && note.rows.length > 0 && <RowsTable columns={note.columns ?? []} rows={note.rows} />}
      {note.edit && <WrongAnswer edit={note.edit} short />}
    </div>
  );
}
