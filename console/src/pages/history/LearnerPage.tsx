import { Link, useParams, useSearchParams } from "react-router";
import { EntryList } from "./EntryList";
import { useTitle } from "../../parts/useTitle";

/** One learner's attempts, of one exercise or of all. For instructors. */
export function LearnerPage() {
  const { learner = "" } = useParams();
  useTitle(learner);
  const [search] = useSearchParams();
  const paper = search.get("paper") ?? undefined;
  const exercise = search.get("exercise") ?? undefined;
  const course = search.get("course") ?? ""; // whose grid one comes from
  return (
    <section className="page wide">
      <h1>{search.get("name") ?? learner}</h1>
      <p>
        {paper && exercise ? `Attempts at ${paper}/${exercise}. ` : "Attempts, the latest first. "}
        <Link to={`/learners/${learner}/timeline?${search}`}>Step by step</Link>
        {course && (
          <>
            {" · "}
            <a
              href={`/api/courses/${course}/report?${new URLSearchParams({ learner })}`}
              target="_blank"
              rel="noreferrer"
            >
              Report to print
            </a>
          </>
        )}
        {paper && (
          <>
            {" · "}
            <Link to={`/papers/${paper}/progress${course && `?${new URLSearchParams({ course })}`}`}>
              Back to the grid
            </Link>
          </>
        )}
        {exercise && (
          <>
            {" · "}
            <Link to={`/learners/${learner}`}>All of this learner's attempts</Link>
          </>
        )}
      </p>
      <EntryList filter={{ learner, paper, exercise, kind: "attempt" }} withLearner={false} />
    </section>
  );
}
