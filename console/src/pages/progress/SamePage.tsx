import { useQuery } from "@tanstack/react-query";
import { Link, useParams, useSearchParams } from "react-router";
import { answer, api, type Schemas } from "../../api/client";
import { SqlView } from "../../parts/sql/SqlView";
import { useTitle } from "../../parts/useTitle";
import { Waiting } from "../../parts/Waiting";
import { moment, outcomeWord } from "../../parts/words";

/** Answers of learners that are the same but for names, layout and letter case, to be looked at. */
export function SamePage() {
  const { paper = "" } = useParams();
  const [search] = useSearchParams();
  const course = search.get("course") ?? undefined;
  useTitle(`Same answers, ${paper}`);
  const same = useQuery({
    queryKey: ["same", paper, course],
    queryFn: () => answer(api.GET("/api/papers/{paper}/same", { params: { path: { paper }, query: { course } } })),
  });
  const grid = `/papers/${paper}/progress${course ? `?${new URLSearchParams({ course })}` : ""}`;
  return (
    <section className="page wide">
      <Waiting query={same} page="The same answers">
        {({ title, texts, pairs }) => (
          <>
            <h1>Same answers: {title}</h1>
            <p>
              Answers that are the same but for names, layout and letter case; those that are rarest in the class stand
              first. <Link to={grid}>Back to the grid</Link>
            </p>
            <p className="caution">
              Short exercises make equal answers likely, and learners who work together learn the same words. Nothing
              here says that anybody has copied: look at the steps, and ask.
            </p>
            {pairs.length > 0 && <Pairs pairs={pairs} />}
            {texts.length === 0 && <p className="quiet">No rare text was written by two learners.</p>}
            <ol className="alike">
              {texts.map((text) => (
                <SameText key={`${text.exercise} ${text.writers[0].attempt}`} text={text} paper={paper} />
              ))}
            </ol>
          </>
        )}
      </Waiting>
    </section>
  );
}

function Pairs({ pairs }: { pairs: Schemas["SamePair"][] }) {
  return (
    <details>
      <summary>Two learners with rare answers in common at several exercises ({pairs.length})</summary>
      <ul>
        {pairs.map(({ learners, exercises }) => (
          <li key={learners.map((learner) => learner.login).join(" ")}>
            {learners.map((learner) => learner.display_name).join(" and ")}: exercises {exercises.join(", ")}
          </li>
        ))}
      </ul>
    </details>
  );
}

function SameText({ text, paper }: { text: Schemas["SameText"]; paper: string }) {
  const { exercise, writers } = text;
  return (
    <li className="entry">
      <div className="entry-head">
        <p>
          <strong>
            {text.number}. {text.title}
          </strong>
        </p>
        <p>
          {writers.length} of {text.tried} who tried it wrote so. {outcomeWord(text.outcome)}.
        </p>
        <ul className="writers">
          {writers.map(({ learner, display_name: name, at }) => (
            <li key={learner}>
              <Link to={stepsOf(learner, { paper, exercise, name })}>{name}</Link>{" "}
              <span className="quiet">{moment(at)}</span>
            </li>
          ))}
        </ul>
      </div>
      <div className="entry-text">
        <SqlView label="Query" text={text.sql} />
      </div>
    </li>
  );
}

function stepsOf(learner: string, query: Record<string, string>) {
  return `/learners/${learner}/timeline?${new URLSearchParams(query)}`;
}
