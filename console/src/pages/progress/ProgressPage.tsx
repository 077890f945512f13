import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { answer, api, type Schemas } from "../../api/client";
import { Waiting } from "../../parts/Waiting";
import { count, points } from "../../parts/words";
import { useTitle } from "../../parts/useTitle";

/** Learners by exercises. It follows the course as it works. */
export function ProgressPage() {
  const { paper = "" } = useParams();
  useTitle(`Progress, ${paper}`);
  const grid = useQuery({
    queryKey: ["progress", paper],
    queryFn: () => answer(api.GET("/api/papers/{paper}/progress", { params: { path: { paper } } })),
    refetchInterval: 5000,
  });
  return (
    <section className="page full">
      <Waiting query={grid} page="The progress">
        {(progress) => (
          <>
            <h1>{progress.title}</h1>
            <p>
              {count(progress.learners.length, "learner")}, {points(progress.points)}. Each cell: the outcome of the
              attempt that counts, and how many there were. <Link to={`/papers/${paper}`}>The paper</Link> ·{" "}
              <a href={`/api/papers/${paper}/marks?format=csv`} download={`${paper}-marks.csv`}>
                Marks as CSV
              </a>
            </p>
            {progress.learners.length === 0 ? (
              <p className="quiet">
                No learner has this paper yet. Set it for a <Link to="/courses">course</Link>.
              </p>
            ) : (
              <Grid progress={progress} />
            )}
          </>
        )}
      </Waiting>
    </section>
  );
}

function Grid({ progress }: { progress: Schemas["Progress"] }) {
  const several = new Set(progress.learners.map((learner) => learner.course)).size > 1; // courses
  return (
    <div className="grid">
      <table>
        <thead>
          <tr>
            <th scope="col">Learner</th>
            {progress.exercises.map((e) => (
              <th key={e.slug} scope="col">
                <Link to={`/papers/${progress.paper}#${e.slug}`}>
                  {e.number}. {e.title}
                </Link>
              </th>
            ))}
            <th scope="col">Mark</th>
          </tr>
        </thead>
        <tbody>
          {progress.learners.map((learner) => (
            <tr key={`${learner.course} ${learner.name}`}>
              <th scope="row">
                <Link to={`/learners/${learner.name}?name=${encodeURIComponent(learner.display_name)}`}>
                  {learner.display_name}
                </Link>
                {several && <small>{learner.course}</small>}
              </th>
              {learner.cells.map((cell, i) => (
                <Cell key={i} cell={cell} to={workOf(learner, progress.paper, progress.exercises[i].slug)} />
              ))}
              <td className="sum">{learner.mark}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

const manyHidden = 10; // attempts

function Cell({ cell, to }: { cell: Schemas["ProgressCell"]; to: string }) {
  if (!cell.outcome && cell.by_hand) return <td>mark {cell.mark} by hand</td>;
  if (!cell.outcome) return <td className="untried" aria-label="no attempts" />;
  return (
    <td data-outcome={cell.outcome}>
      <Link to={to}>
        {cell.outcome} <small>{cell.attempts}</small>
      </Link>
      {cell.by_hand && <small>mark {cell.mark} by hand</small>}
      {(cell.hidden_only ?? 0) >= manyHidden && (
        <small className="hidden-only" title={onHiddenRows}>
          {cell.hidden_only} on hidden rows only
        </small>
      )}
    </td>
  );
}

const onHiddenRows =
  "Attempts that were right on all rows that learners see and wrong on hidden ones: " +
  "many may be questions about the hidden rows";

/** Where a learner's work on an exercise is shown. */
function workOf(learner: Schemas["LearnerProgress"], paper: string, exercise: string) {
  const search = new URLSearchParams({ paper, exercise, name: learner.display_name });
  return `/learners/${learner.name}?${search}`;
}
