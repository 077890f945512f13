import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { answer, api, type Entry } from "../../api/client";
import { Button } from "../../parts/Button";
import { useTitle } from "../../parts/useTitle";
import { Waiting } from "../../parts/Waiting";
import { verdict } from "../../parts/words";
import { Step } from "./Step";

const most = 500; // steps

/** How a learner got there: runs and attempts from the first to the last, with what changed from one to the next. */
export function TimelinePage() {
  const { learner = "" } = useParams();
  const [search] = useSearchParams();
  const paper = search.get("paper") ?? undefined;
  const exercise = search.get("exercise") ?? undefined;
  const name = search.get("name") ?? learner;
  useTitle(`${name}, step by step`);
  const entries = useQuery({
    queryKey: ["timeline", learner, paper, exercise],
    queryFn: async () => {
      const all: Entry[] = [];
      let before: string | undefined;
      do {
        const page = await answer(
          api.GET("/api/history", { params: { query: { learner, paper, exercise, before, limit: 100 } } }),
        );
        all.push(...page.entries);
        before = page.next;
      } while (before && all.length < most);
      return all.reverse();
    },
  });
  return (
    <section className="page wide">
      <h1>{name}</h1>
      <p>
        {paper
          ? `Runs and attempts at ${[paper, exercise].filter(Boolean).join("/")}, step by step. `
          : "Step by step. "}
        <Link to={`/learners/${learner}?${search}`}>As a list</Link>
      </p>
      <Waiting query={entries}>
        {(steps) =>
          steps.length === 0 ? <p className="quiet">Nothing was run or submitted.</p> : <Player steps={steps} />
        }
      </Waiting>
    </section>
  );
}

const pace = 2500; // milliseconds

/** One step, and the ways to the others: they play by themselves, too. */
function Player({ steps }: { steps: Entry[] }) {
  const [at, setAt] = useState(0);
  const [plays, setPlays] = useState(false);
  const last = steps.length - 1;
  useEffect(() => {
    if (!plays) return;
    const timer = setTimeout(() => (at < last ? setAt(at + 1) : setPlays(false)), pace);
    return () => clearTimeout(timer);
  }, [plays, at, last]);
  const go = (to: number) => {
    setPlays(false);
    setAt(Math.min(Math.max(to, 0), last));
  };
  const play = () => {
    if (at === last) setAt(0);
    setPlays(!plays);
  };
  return (
    <>
      <p className="actions" role="group" aria-label="Steps">
        <Button size="small" disabled={at === 0} onClick={() => go(0)}>
          First
        </Button>
        <Button size="small" disabled={at === 0} onClick={() => go(at - 1)}>
          Previous
        </Button>
        <Button size="small" onClick={play}>
          {plays ? "Pause" : "Play"}
        </Button>
        <Button size="small" disabled={at === last} onClick={() => go(at + 1)}>
          Next
        </Button>
        <Button size="small" disabled={at === last} onClick={() => go(last)}>
          Last
        </Button>
        <label>
          Step{" "}
          <select value={at} onChange={(event) => go(Number(event.target.value))}>
            {steps.map((step, i) => (
              <option key={step.id} value={i}>
                {i + 1}: {step.exercise ?? step.dataset}, {step.kind === "run" ? "run" : verdict(step)}
              </option>
            ))}
          </select>
        </label>
        <span className="quiet">of {steps.length}</span>
      </p>
      <Step steps={steps} at={at} />
    </>
  );
}
