import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { answer, api, problemOf, type Problem, type Schemas } from "../../api/client";
import { Button } from "../../parts/Button";
import { ProblemNote } from "../../parts/ProblemNote";
import { RunningJob } from "../../parts/RunningJob";
import { useJob } from "../../parts/useJob";
import { useTitle } from "../../parts/useTitle";
import { count, outcomeWord } from "../../parts/words";

/** Checks attempts again: whose marks would change is shown first, and nothing changes before that is confirmed. */
export function RecheckPage() {
  const { paper = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  useTitle(`Check again, ${paper}`);
  const id = search.get("job");
  const { job, problem: lost } = useJob(id);
  const [exercise, setExercise] = useState("");
  const [reason, setReason] = useState("");
  const [problem, setProblem] = useState<Problem>();
  const loaded = useQuery({
    queryKey: ["paper", paper],
    queryFn: () => answer(api.GET("/api/papers/{paper}", { params: { path: { paper } } })),
  });
  const exercises = loaded.data?.sections.flatMap((section) => section.exercise ?? []) ?? [];
  async function act(call: () => Promise<unknown>) {
    try {
      await call();
      setProblem(undefined);
    } catch (error) {
      setProblem(problemOf(error));
    }
  }
  const begin = () =>
    act(async () => {
      const body = { exercise, reason };
      const begun = await answer(api.POST("/api/papers/{paper}/recheck", { params: { path: { paper } }, body }));
      setSearch({ job: begun.id }, { replace: true });
    });
  const params = { path: { job: id ?? "" } };
  const stop = () => act(() => answer(api.POST("/api/jobs/{job}/stop", { params })));
  const confirm = () => act(() => answer(api.POST("/api/jobs/{job}/confirm", { params })));
  const running = job !== null && ["queued", "running", "stopping"].includes(job.state);
  const asking = job?.state === "asking";
  const report = job?.report?.recheck;
  const wrong = problem ?? lost ?? job?.problem;
  return (
    <section className="page wide course">
      <h1>Check attempts again: {loaded.data?.summary.title ?? paper}</h1>
      <p className="quiet">
        All attempts are checked by the accepted answers and rules as they are published now, on the build in use. Whose
        marks would change is shown first. Learners go on submitting meanwhile.{" "}
        <Link to={`/papers/${paper}`}>The paper</Link>
      </p>
      {!running && !asking && (
        <form
          className="course-form"
          aria-label="Check again"
          onSubmit={(event) => {
            event.preventDefault();
            void begin();
          }}
        >
          <label>
            Attempts at{" "}
            <select value={exercise} onChange={(event) => setExercise(event.target.value)}>
              <option value="">the whole paper</option>
              {exercises.map((e) => (
                <option key={e.slug} value={e.slug}>
                  {e.number}. {e.title}
                </option>
              ))}
            </select>
          </label>
          <label>
            Reason <input maxLength={1000} value={reason} onChange={(event) => setReason(event.target.value)} />
          </label>
          <p className="actions">
            <Button type="primary" htmlType="submit">
              Look whose marks would change
            </Button>
          </p>
        </form>
      )}
      {wrong && <ProblemNote problem={wrong} />}
      {running && <RunningJob job={job} onStop={() => void stop()} />}
      {job?.state === "stopped" && (
        <p role="status">Stopped; no mark was changed. Begun again it goes on from there.</p>
      )}
      {report && job?.state !== "stopped" && (
        <>
          <p role="status">
            <strong>
              {count(report.attempts, "attempt")} checked again;{" "}
              {report.applied ? `${count(report.changes.length, "mark")} changed.` : would(report.changes.length)}
            </strong>
          </p>
          {report.changes.length > 0 && <Changes changes={report.changes} />}
          {asking && (
            <p className="actions">
              <Button type="primary" onClick={() => void confirm()}>
                {report.changes.length > 0 ? "Have the marks changed" : "Keep that they were checked again"}
              </Button>
              <Button onClick={() => void stop()}>Leave them as they are</Button>
            </p>
          )}
        </>
      )}
    </section>
  );
}

function would(n: number) {
  return n === 0 ? "no mark would change." : `${count(n, "mark")} would change. Nothing has been changed yet.`;
}

function Changes({ changes }: { changes: Schemas["MarkChange"][] }) {
  return (
    <div className="people">
      <table>
        <thead>
          <tr>
            <th scope="col">Learner</th>
            <th scope="col">Exercise</th>
            <th scope="col">Was</th>
            <th scope="col">Is</th>
            <th scope="col">Why</th>
          </tr>
        </thead>
        <tbody>
          {changes.map((c) => (
            <tr key={`${c.course} ${c.learner} ${c.exercise}`}>
              <th scope="row">{c.display_name}</th>
              <td>
                {c.number}. {c.exercise}
              </td>
              <td>
                {outcomeWord(c.was)}, {c.mark_was}
              </td>
              <td>
                {outcomeWord(c.is)}, {c.mark_is}
              </td>
              <td>{c.why}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
