import { useQuery } from "@tanstack/react-query";
import { Link, useParams, useSearchParams } from "react-router";
import { answer, api, type Schemas } from "../../api/client";
import { useTitle } from "../../parts/useTitle";
import { Waiting } from "../../parts/Waiting";
import { count, points } from "../../parts/words";
import { AlikeGroups } from "./AlikeGroups";
import { ClassCharts } from "./ClassCharts";

type Class = Schemas["Class"];

/** How a class gets on with an exercise. */
export function ClassPage() {
  const { paper = "", exercise = "" } = useParams();
  const [search] = useSearchParams();
  const course = search.get("course") ?? "";
  const query: { course?: string } = course ? { course } : {};
  useTitle(`Progress, ${paper}, ${exercise}`);
  const found = useQuery({
    queryKey: ["class", paper, exercise, course],
    queryFn: () =>
      answer(
        api.GET("/api/papers/{paper}/exercises/{exercise}/class", { params: { path: { paper, exercise }, query } }),
      ),
  });
  return (
    <section className="page wide">
      <Waiting query={found} page="The exercise">
        {(of) => (
          <>
            <h1>
              {of.number}. {of.title}
            </h1>
            <p>
              {standing(of)}{" "}
              <Link to={`/papers/${paper}/progress${course && `?${new URLSearchParams({ course })}`}`}>
                Back to the grid
              </Link>{" "}
              · <Link to={`/papers/${paper}#${exercise}`}>The exercise</Link>
            </p>
            {of.attempts === 0 ? (
              <p className="quiet">There are no attempts yet.</p>
            ) : (
              <>
                <ClassCharts of={of} />
                <Findings of={of} />
                <AlikeGroups of={of} course={query.course} />
              </>
            )}
          </>
        )}
      </Waiting>
    </section>
  );
}

function standing({ learners, tried, solved, attempts, points: all }: Class) {
  const share = tried > 0 ? ` (${Math.round((100 * solved) / tried)} % of those)` : "";
  return (
    `${points(all)}. Of ${count(learners, "learner")}, ${tried} have tried it and ${solved} have solved it${share}, ` +
    `with ${count(attempts, "attempt")} in all.`
  );
}

/** What those who tried were told, the most frequent first. */
function Findings({ of }: { of: Class }) {
  return (
    <>
      <h2>What they were told</h2>
      {of.findings.length === 0 ? (
        <p className="quiet">Nothing was found wrong.</p>
      ) : (
        <ol className="class-findings">
          {of.findings.map((finding) => (
            <li key={finding.kind}>
              <strong>
                {count(finding.attempts, "attempt")} of {count(finding.learners, "learner")}:
              </strong>{" "}
              {finding.kind.includes(" ") ? finding.kind : finding.sentence}
            </li>
          ))}
        </ol>
      )}
    </>
  );
}
