import { Button } from "antd";
import { useMutation } from "@tanstack/react-query";
import { answer, api, problemOf, type Schemas } from "../../api/client";
import { ProblemNote } from "../../parts/ProblemNote";
import { RowsTable } from "../../parts/RowsTable";
import { count } from "../../parts/words";

/** For instructors: what is wrong or doubtful in the paper's exercises, on its dataset and every variant. */
export function PaperCheck({ paper }: { paper: string }) {
  const check = useMutation({ mutationFn: () => answer(api.GET("/api/papers/{paper}/check", { params: { path: { paper } } })) });
  const report = check.data;
  return (
    <div className="strip paper-check">
      <div className="middle">
        <div className="actions">
          <Button onClick={() => check.mutate()} loading={check.isPending}>
            Check the exercises
          </Button>
          <span className="quiet" role="status">
            {report
              ? `${count(report.exercises, "exercise")} checked: ${count(report.errors, "error")}, ${count(report.warnings, "warning")}.`
              : "Runs every answer on the dataset and its variants. Learners do not see this."}
          </span>
        </div>
        {check.error && <ProblemNote problem={problemOf(check.error)} />}
        {report?.notes.map((note, i) => <CheckNote key={i} note={note} />)}
      </div>
    </div>
  );
}

const severities = { error: "Error", warning: "Warning", note: "Note" };

function CheckNote({ note }: { note: Schemas["CheckNote"] }) {
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
    </div>
  );
}
