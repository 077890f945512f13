import { useQuery } from "@tanstack/react-query";
import { Suspense, useState } from "react";
import { Link, useSearchParams } from "react-router";
import { answer, api, serviceNow, type Schemas } from "../../api/client";
import { Button } from "../../parts/Button";
import { lazily } from "../../parts/lazily";
import { Waiting } from "../../parts/Waiting";
import { count, dueTime, moment, points, timeIn, timeLeft } from "../../parts/words";
import { useSession } from "../../session";
import { useTitle } from "../../parts/useTitle";

const NewPaper = lazily(() => import("./NewPaper").then((m) => m.NewPaper));

type Summary = Schemas["PaperSummary"];

export function PapersPage() {
  const { session } = useSession();
  const staff = session!.account.role !== "learner";
  const instructor = session!.account.role === "instructor";
  const [search] = useSearchParams();
  const dataset = search.get("dataset") ?? undefined; // that a new paper is to be about
  const [begins, setBegins] = useState(instructor && dataset !== undefined);
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
                {staff
                  ? "There is no paper yet. Begin one here, or load a pack at the command line: examen pack load DIR."
                  : "No paper is set for you yet. When your instructor sets one, it stands here."}
              </p>
            )}
            {!staff && <GoOn papers={list} />}
            {instructor &&
              (begins ? (
                <Suspense>
                  <NewPaper papers={list} dataset={dataset} onClose={() => setBegins(false)} />
                </Suspense>
              ) : (
                <p>
                  <Button onClick={() => setBegins(true)}>New paper …</Button>
                </p>
              ))}
            <ul className="papers">
              {inOrder(list).map((paper) => (
                <PaperItem key={paper.slug} paper={paper} staff={staff} instructor={instructor} />
              ))}
            </ul>
          </>
        )}
      </Waiting>
    </section>
  );
}

/** Those that can be worked on first, by when they are due; then those to come, and those that are closed. */
function inOrder(papers: Summary[]) {
  const rank = { open: 0, overdue: 0, upcoming: 1, closed: 2 };
  const time = (paper: Summary) => Date.parse((paper.state === "upcoming" ? paper.opens : paper.due) ?? "9999-12-31");
  return [...papers].sort((a, b) => rank[a.state] - rank[b.state] || time(a) - time(b));
}

/** Where one stopped: the paper on which one worked last, if it can still be worked on. */
function GoOn({ papers }: { papers: Summary[] }) {
  const at = (paper: Summary) => Date.parse(paper.last?.at ?? "");
  const paper = papers
    .filter((p) => (p.state === "open" || p.state === "overdue") && p.last)
    .sort((a, b) => at(b) - at(a))[0];
  if (!paper?.last) return null;
  const { slug, number, title } = paper.last;
  return (
    <p className="go-on">
      <Link className="button button-primary" to={`/papers/${paper.slug}#${slug}`}>
        Go on with {number}. {title}
      </Link>{" "}
      <span className="quiet">
        {paper.title}, where you stopped {moment(paper.last.at)}
      </span>
    </p>
  );
}

function PaperItem({ paper, staff, instructor }: { paper: Summary; staff: boolean; instructor: boolean }) {
  const news = paper.new_marks ?? 0;
  if (paper.unpublished)
    return (
      <li>
        <h2>
          <Link to={`/papers/${paper.slug}/write`}>{paper.title}</Link>
        </h2>
        <p>Not published yet.</p>
      </li>
    );
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
          {instructor && (
            <>
              {" · "}
              <Link to={`/papers/${paper.slug}/write`}>Write</Link>
              {" · "}
              <Link to={`/papers/${paper.slug}/recheck`}>Check attempts again</Link>
            </>
          )}
        </p>
      ) : (
        <p>{standing(paper)}</p>
      )}
      {!staff && (paper.rechecked ?? 0) > 0 && (
        <p className="news">
          <strong>
            New: attempts were checked again, and marks have changed in {count(paper.rechecked!, "exercise")}.
          </strong>
        </p>
      )}
      {!staff && news > 0 && (
        <p className="news">
          <strong>New: {news === 1 ? "a mark was" : `${news} marks were`} set by your instructor.</strong>
        </p>
      )}
    </li>
  );
}

/** How one stands on a paper, as far as one may know. */
function standing(paper: Summary) {
  if (paper.attempted === 0) return "Not begun.";
  if (paper.untold) return `${paper.attempted} of ${paper.exercises} submitted; marks are told later.`;
  const far = paper.state === "closed" ? "" : " so far";
  return `${paper.correct} of ${paper.exercises} correct, ${paper.mark} of ${points(paper.points)}${far}.`;
}

function when(paper: Summary) {
  const there = (iso: string) => {
    const time = paper.zone && timeIn(iso, paper.zone);
    return time ? ` (${time} in the course)` : "";
  };
  if (paper.state === "upcoming") return `Opens ${dueTime(paper.opens!)}${there(paper.opens!)}.`;
  const exam = paper.examination;
  if (exam && !exam.begun && paper.state === "open") {
    const until = `${dueTime(exam.closes)}${there(exam.closes)}`;
    return `Examination of ${count(exam.minutes, "minute")}, to be begun by ${until}.`;
  }
  if (paper.state === "overdue")
    return `Was due ${dueTime(paper.due!)}; late answers are accepted until ${dueTime(paper.closes!)}.`;
  if (paper.state === "closed") return `Closed on ${dueTime(paper.due!)}.`;
  if (!paper.due) return "Open.";
  return `Open, due ${dueTime(paper.due)}${there(paper.due)}, in ${timeLeft(Date.parse(paper.due) - serviceNow())}.`;
}
