import { useMemo, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import type { Schemas } from "../../api/client";
import { useTitle } from "../../parts/useTitle";
import { Waiting } from "../../parts/Waiting";
import { count, points } from "../../parts/words";
import { amountOf, type Show } from "./GridCell";
import { ProgressGrid } from "./ProgressGrid";
import { useProgress } from "./useProgress";
import { everybody, isHard, percent, sharesOf, shown, stateOf, type View } from "./view";
import { ViewFields } from "./ViewFields";

/** Learners by exercises. It follows the course as it works. */
export function ProgressPage() {
  const { paper = "" } = useParams();
  const [search] = useSearchParams();
  useTitle(`Progress, ${paper}`);
  const course = search.get("course") ?? "";
  const grid = useProgress(paper, course);
  return (
    <section className="page full">
      <Waiting query={grid} page="The progress">
        {(progress) => (
          <>
            <h1>{progress.title}</h1>
            <p>
              {progress.more
                ? "The first of the class; the others are coming"
                : count(progress.learners.length, "learner")}
              , {points(progress.points)}. <Link to={`/papers/${paper}`}>The paper</Link> ·{" "}
              <Link to={`/papers/${paper}/marks${course && `?${new URLSearchParams({ course })}`}`}>Marks</Link> ·{" "}
              <Link to={`/papers/${paper}/same${course && `?${new URLSearchParams({ course })}`}`}>Same answers</Link>
            </p>
            {progress.learners.length === 0 ? (
              <p className="quiet">
                No learner has this paper yet. Set it for a <Link to="/courses">course</Link>.
              </p>
            ) : (
              <Class progress={progress} course={course} />
            )}
          </>
        )}
      </Waiting>
    </section>
  );
}

function Class({ progress, course }: { progress: Schemas["Progress"]; course: string }) {
  const { learners, exercises, paper } = progress;
  const [view, setView] = useState<View>(everybody);
  const [show, setShow] = useState<Show>("outcome");
  const found = useMemo(() => shown(learners, view), [learners, view]);
  const shares = useMemo(() => sharesOf(learners, exercises.length), [learners, exercises]);
  const most = Math.max(0, ...learners.map(({ cells }) => Math.max(0, ...cells.map((cell) => amountOf(cell, show)))));
  const sort = (by: View["sort"]) => setView({ ...view, sort: by, down: view.sort === by && !view.down });
  return (
    <>
      {!progress.more && <Summary progress={progress} />}
      <ViewFields learners={learners} view={view} show={show} found={found.length} onView={setView} onShow={setShow} />
      <ProgressGrid
        paper={paper}
        course={course}
        exercises={exercises}
        learners={found}
        shares={shares}
        show={show}
        most={most}
        view={view}
        onSort={sort}
      />
    </>
  );
}

/** Who has not begun, who is stuck, and what is hard. */
function Summary({ progress: { learners, exercises } }: { progress: Schemas["Progress"] }) {
  const of = (state: string) => learners.filter((learner) => stateOf(learner) === state).length;
  const shares = sharesOf(learners, exercises.length);
  const hard = exercises.flatMap((exercise, i) =>
    isHard(shares[i]) ? `${exercise.number}. ${exercise.title} (${percent(shares[i])} solved)` : [],
  );
  const said = [
    of("none") === 0 ? "all have begun" : some(of("none"), "has", "have", "not begun"),
    some(of("stuck"), "is", "are", "stuck"),
    some(of("done"), "is", "are", "done"),
  ];
  return (
    <p aria-live="polite">
      {capital(said.join(", "))}. {hard.length > 0 && `Hard: ${hard.join(", ")}.`}
    </p>
  );
}

function some(n: number, one: string, many: string, what: string) {
  return n === 0 ? `nobody ${one} ${what}` : `${n} ${n === 1 ? one : many} ${what}`;
}

function capital(text: string) {
  return text.charAt(0).toUpperCase() + text.slice(1);
}
