import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { answer, api, type Schemas } from "../../api/client";
import { Waiting } from "../../parts/Waiting";
import { count, dueTime, points } from "../../parts/words";
import { useSession } from "../../session";
import { useTitle } from "../../parts/useTitle";

export function PapersPage() {
  const { session } = useSession();
  const staff = session!.account.role !== "learner";
  useTitle(staff ? "Papers" : "My papers");
  const papers = useQuery({ queryKey: ["papers"], queryFn: () => answer(api.GET("/api/papers")) });
  return (
    <section className="page">
      <h1>{staff ? "Papers" : "My papers"}</h1>
      <Waiting query={papers}>
        {(list) => (
          <>
            {list.length === 0 && (
              <p className="quiet">
                {staff ? "No paper is loaded yet: examen pack load DIR." : "No paper is set for you yet."}
              </p>
            )}
            <ul className="papers">
              {list.map((paper) => (
                <PaperItem key={paper.slug} paper={paper} staff={staff} />
              ))}
            </ul>
          </>
        )}
      </Waiting>
    </section>
  );
}

function PaperItem({ paper, staff }: { paper: Schemas["PaperSummary"]; staff: boolean }) {
  return (
    <li>
      <h2>
        {paper.state === "upcoming" && !staff ? paper.title : <Link to={`/papers/${paper.slug}`}>{paper.title}</Link>}
      </h2>
      <p>
        {when(paper)} {count(paper.exercises, "exercise")}, {points(paper.points)}.
      </p>
      {staff ? (
        <p>
          <Link to={`/papers/${paper.slug}/progress`}>Learner progress</Link>
        </p>
      ) : (
        <p>
          {paper.attempted === 0
            ? "Not begun."
            : `${paper.correct} of ${paper.exercises} correct, ${paper.mark} of ${points(paper.points)} so far.`}
        </p>
      )}
    </li>
  );
}

function when(paper: Schemas["PaperSummary"]) {
  if (paper.state === "upcoming") return `Opens ${dueTime(paper.opens!)}.`;
  if (paper.state === "closed") return `Closed at ${dueTime(paper.due!)}.`;
  return paper.due ? `Open, due ${dueTime(paper.due)}.` : "Open.";
}
