import { Button, Progress } from "antd";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { answer, api, problemOf, type Job, type Problem } from "../../api/client";
import { ProblemNote } from "../../parts/ProblemNote";
import { bytes, count, jobSentence } from "../../parts/words";
import { Differences } from "./Differences";
import { InferredTables } from "./InferredTables";
import { Report } from "./Report";
import { ScriptErrors } from "./ScriptErrors";
import { useJob } from "../../parts/useJob";
import { useTitle } from "../../parts/useTitle";

const headings = {
  dataset: "Building",
  pack: "Loading the pack",
  paper: "Checking the exercises of",
  publication: "Publishing",
  recheck: "Checking again",
  strengthening: "Rows for",
};

/** One build or load: how it gets on, and what came of it. */
export function BuildPage() {
  const { job: id = "" } = useParams();
  useTitle(`Build ${id}`);
  const { job, problem } = useJob(id);
  const [refused, setRefused] = useState<Problem | null>(null);
  const queries = useQueryClient();
  if (problem)
    return (
      <section className="page">
        <h1>The build cannot be shown</h1>
        <ProblemNote problem={problem} />
      </section>
    );
  if (!job)
    return (
      <section className="page">
        <p className="quiet">Loading …</p>
      </section>
    );
  const call = (path: "/api/jobs/{job}/stop" | "/api/jobs/{job}/confirm") => async () => {
    setRefused(null);
    try {
      await answer(api.POST(path, { params: { path: { job: id } } }));
      await queries.invalidateQueries({ queryKey: ["jobs"] });
    } catch (error) {
      setRefused(problemOf(error));
    }
  };
  const breaks = job.report?.breaks ?? [];
  const differences = job.report?.differences ?? [];
  const decides = breaks.length + differences.length > 0;
  const over = ["done", "failed", "stopped"].includes(job.state);
  return (
    <section className="page wide">
      <h1>
        {headings[job.kind]} {job.name}
      </h1>
      <p aria-live="polite" className="job-state" data-state={job.state}>
        {jobSentence(job)}
      </p>
      {!over && <Going job={job} />}
      {job.state === "asking" && breaks.length > 0 && <Breaks breaks={breaks} />}
      {job.state === "asking" && differences.length > 0 && <Differences differences={differences} />}
      {job.state === "asking" && !decides && <InferredTables tables={job.report?.inferred ?? []} asks />}
      <div className="actions">
        {job.state === "asking" && (
          <Button type="primary" onClick={() => void call("/api/jobs/{job}/confirm")()}>
            {decides ? "Use it all the same" : "Build with these types"}
          </Button>
        )}
        {!over && (
          <Button disabled={job.state === "stopping"} onClick={() => void call("/api/jobs/{job}/stop")()}>
            Stop
          </Button>
        )}
        {job.state === "done" && job.kind === "dataset" && <Link to={`/datasets/${job.name}`}>The dataset</Link>}
        <Link to="/datasets">All datasets</Link>
      </div>
      {refused && <ProblemNote problem={refused} />}
      {job.state === "failed" && job.problem && !job.errors?.length && <ProblemNote problem={job.problem} />}
      {job.errors && job.errors.length > 0 && <ScriptErrors job={job} />}
      {job.state === "done" && job.report && <Report report={job.report} />}
    </section>
  );
}

/** What the build would break, of what papers use. */
function Breaks({ breaks }: { breaks: string[] }) {
  return (
    <section className="breaks">
      <h2>It would break what papers use</h2>
      <p>
        The build works, but it has not taken the place of the one in use. Learners see nothing of it until you decide.
      </p>
      <ul>
        {breaks.map((b) => (
          <li key={b}>{b}</li>
        ))}
      </ul>
    </section>
  );
}

/** The bar: how much has been read, and what has been made. */
function Going({ job }: { job: Job }) {
  const { step, total, file, statements, tables, rows, errors } = job.progress;
  const read = job.progress.bytes;
  if (job.state === "queued" || job.state === "receiving" || job.state === "asking") return null;
  return (
    <div className="going">
      <p>{step}</p>
      {total > 0 && (
        <Progress
          percent={Math.min(100, Math.floor((100 * read) / total))}
          status="active"
          strokeColor="var(--action)"
        />
      )}
      <p className="quiet">
        {file && <code>{file}</code>} {total > 0 && `${bytes(read)} of ${bytes(total)}, `}
        {count(statements, "statement")}, {count(tables, "table")}, {count(rows, "row")}
        {errors > 0 && `, ${count(errors, "error")}`}
      </p>
    </div>
  );
}
