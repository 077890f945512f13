import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { answer, api, type Schemas } from "../../api/client";
import { Button } from "../../parts/Button";
import { FindingNote } from "../../parts/FindingNote";
import { NoteForm } from "../../parts/notes/NoteForm";
import { ProblemNote } from "../../parts/ProblemNote";
import { SqlView } from "../../parts/sql/SqlView";
import { useTitle } from "../../parts/useTitle";
import { Waiting } from "../../parts/Waiting";
import { count, moment, outcomeWord, points } from "../../parts/words";
import { ClassCharts } from "./ClassCharts";

type Class = Schemas["Class"];

/** How a class gets on with an exercise. */
export function ClassPage() {
  const { paper = "", exercise = "" } = useParams();
  const [search] = useSearchParams();
  const course = search.get("course") ?? "";
  const query = course ? { course } : {};
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
                <AlikeGroups of={of} />
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

/** Wrong attempts that are alike, each group with one as an example and what was said of it. */
function AlikeGroups({ of }: { of: Class }) {
  return (
    <>
      <h2>Alike answers</h2>
      <p className="quiet">
        Wrong attempts with the same result, or with the same text but for names, layout and literals.
      </p>
      {of.alike.length === 0 && <p>No two wrong attempts are alike.</p>}
      <ol className="alike">
        {of.alike.map((group) => (
          <AlikeGroup key={group.example.attempt} of={of} group={group} />
        ))}
      </ol>
    </>
  );
}

function AlikeGroup({ of, group }: { of: Class; group: Schemas["AlikeAttempts"] }) {
  const { attempts, learners, example } = group;
  const [writes, setWrites] = useState(false);
  const who = `${count(attempts, "attempt")} of ${count(learners, "learner")}`;
  return (
    <li className="entry">
      <div className="entry-head">
        <p>
          <strong>{who}</strong>
        </p>
        <p className="quiet">
          {outcomeWord(example.outcome)}. For example <Link to={workOf(of, example)}>{example.display_name}</Link>,{" "}
          {moment(example.at)}
        </p>
        <p>
          <Button size="small" aria-expanded={writes} onClick={() => setWrites(!writes)}>
            Write them a note …
          </Button>
        </p>
      </div>
      <div className="entry-text">
        <SqlView label="Query" text={example.sql} />
        {example.error && <ProblemNote problem={example.error} />}
        {example.findings.map((finding, i) => (
          <FindingNote key={i} finding={finding} />
        ))}
        {writes && <NoteForm attempt={example.attempt} to={who} group onClose={() => setWrites(false)} />}
      </div>
    </li>
  );
}

/** Where a learner's work on the exercise is shown. */
function workOf({ paper, exercise }: Class, { learner, display_name: name }: Schemas["ShownAttempt"]) {
  return `/learners/${learner}?${new URLSearchParams({ paper, exercise, name })}`;
}
