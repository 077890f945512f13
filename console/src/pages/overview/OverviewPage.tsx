import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { answer, api, type Schemas } from "../../api/client";
import { useTitle } from "../../parts/useTitle";
import { Waiting } from "../../parts/Waiting";
import { count, moment } from "../../parts/words";
import { Days } from "./Days";
import { Papers } from "./Papers";
import { Topics } from "./Topics";

type Overview = Schemas["Overview"];

/** How a course gets on as a whole: its papers, what it has not understood, who may need help, the last days. */
export function OverviewPage() {
  const { course = "" } = useParams();
  const overview = useQuery({
    queryKey: ["overview", course],
    queryFn: () => answer(api.GET("/api/courses/{course}/overview", { params: { path: { course } } })),
  });
  useTitle(overview.data ? `Overview, ${overview.data.title}` : "Overview");
  return (
    <section className="page wide overview">
      <Waiting query={overview} page="The overview">
        {(of) => (
          <>
            <h1>{of.title}</h1>
            <p>
              {count(of.learners, "learner")}.{" "}
              {of.reviews > 0 ? (
                <Link to={`/marking?${new URLSearchParams({ course })}`}>
                  {count(of.reviews, "attempt")} to be looked at
                </Link>
              ) : (
                "Nothing is to be looked at"
              )}
              . <Link to={`/courses/${course}`}>Papers and members</Link> ·{" "}
              <a href={`/api/courses/${course}/report`} target="_blank" rel="noreferrer">
                Report to print
              </a>
            </p>
            <Papers of={of} />
            <Topics of={of} />
            <Help of={of} />
            <Days of={of} />
          </>
        )}
      </Waiting>
    </section>
  );
}

/** Who may need help, and why. */
function Help({ of }: { of: Overview }) {
  return (
    <>
      <h2>Who may need help</h2>
      {of.help.length === 0 && (
        <p className="quiet">
          Nobody is stuck at a paper that is open, or has not begun one that is due soon, or has solved fewer than half
          of what they tried.
        </p>
      )}
      <ul className="needs">
        {of.help.map((need) => (
          <li key={need.learner}>
            <Link
              to={`/learners/${need.learner}?${new URLSearchParams({ name: need.display_name, course: of.course })}`}
            >
              {need.display_name}
            </Link>
            {need.group && <span className="quiet">, {need.group}</span>}:{" "}
            {need.reasons.map((reason, i) => (
              <span key={i}>
                {i > 0 && "; "}
                <Reason reason={reason} learner={need} />
              </span>
            ))}
            .
          </li>
        ))}
      </ul>
    </>
  );
}

function Reason({ reason, learner }: { reason: Schemas["NeedReason"]; learner: Schemas["Need"] }) {
  const { paper = "", exercise = "" } = reason;
  switch (reason.kind) {
    case "stuck": {
      const query = new URLSearchParams({ paper, exercise, name: learner.display_name });
      return (
        <>
          stuck at{" "}
          <Link to={`/learners/${learner.learner}/timeline?${query}`}>
            {paper}/{exercise}
          </Link>
        </>
      );
    }
    case "not-begun":
      return (
        <>
          has not begun {paper}, due {moment(reason.due!)}
        </>
      );
    case "few-solved":
      return (
        <>
          has solved {reason.solved ?? 0} of {reason.tried} exercises tried
        </>
      );
  }
}
