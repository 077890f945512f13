import { Button } from "antd";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import { answer, api, problemOf, type Exercise } from "../../api/client";
import { ProblemNote } from "../../parts/ProblemNote";
import { Prose } from "../../parts/Prose";
import { useServersUp } from "../../parts/Servers";
import { SqlText } from "../../parts/SqlText";
import { points } from "../../parts/words";
import { Example } from "./Example";
import { ExpectedResult } from "./ExpectedResult";
import { MarginNotes } from "./MarginNotes";
import { MarginState } from "./MarginState";
import { RunResult } from "./RunResult";
import { useDraft } from "./useDraft";

interface Props {
  exercise: Exercise;
  closed: boolean;
  broughtBack?: string;
  inFocus: boolean;
  onFocus(): void;
}

/** An exercise: its state in the left margin; task, answer space and rows in the column; findings in the right margin. */
export function ExerciseSection({ exercise, closed, broughtBack, inFocus, onFocus }: Props) {
  const queries = useQueryClient();
  const { paper, slug } = exercise;
  const first = broughtBack ?? exercise.draft?.sql ?? exercise.latest?.sql ?? "";
  const [sql, setSql] = useState(first);
  const { said, keep } = useDraft(exercise);
  const brought = useRef<string>(undefined);

  function change(text: string) {
    setSql(text);
    if (text !== sql) keep(text);
  }
  useEffect(() => {
    if (broughtBack === undefined || brought.current === broughtBack) return;
    brought.current = broughtBack;
    setSql(broughtBack);
    keep(broughtBack);
  }, [broughtBack, keep]);

  const run = useMutation({ mutationFn: () => answer(api.POST("/api/runs", { body: { paper, exercise: slug, sql } })) });
  const submit = useMutation({
    mutationFn: () => answer(api.POST("/api/papers/{paper}/exercises/{exercise}/attempts", { params: { path: { paper, exercise: slug } }, body: { sql } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["paper", paper] }),
  });
  // What was said while a server was down goes when it is up again.
  const up = useServersUp();
  useEffect(() => {
    if (!up) return;
    for (const call of [run, submit]) if (call.error && [0, 503].includes(problemOf(call.error).status)) call.reset();
    // Only its coming up matters.
  }, [up]);
  const attempt = submit.data ?? exercise.latest;
  const used = exercise.attempts_allowed !== undefined && exercise.attempts >= exercise.attempts_allowed;

  return (
    <section className="strip exercise" id={slug} data-exercise={slug}>
      <MarginState exercise={exercise} />
      <div className="middle task">
        <h2>
          {exercise.title} <small>{points(exercise.points)}</small>
        </h2>
        {exercise.blocks.map((block, i) => (block.kind === "example" ? <Example key={i} paper={paper} text={block.text} /> : <Prose key={i} text={block.text} />))}
        <ExpectedResult exercise={exercise} />
      </div>
      <div className="middle answer">
        <SqlText label={`Answer to ${exercise.title}`} text={sql} onChange={change} onRun={() => run.mutate()} />
        <div className="actions">
          <Button onClick={() => run.mutate()} loading={run.isPending} title="Ctrl-Enter in the answer space">
            Run
          </Button>
          <Button type="primary" onClick={() => submit.mutate()} loading={submit.isPending} disabled={closed || used}>
            Submit
          </Button>
          <span className="quiet draft-state" role="status">
            {said}
          </span>
          <span className="actions-end">
            {exercise.attempts > 0 && <Link to={`/history?paper=${paper}&exercise=${slug}`}>Earlier tries</Link>}
            <Button type="link" onClick={onFocus}>
              {inFocus ? "Back to the paper" : "Focus"}
            </Button>
          </span>
        </div>
        {closed && <p className="quiet">The paper is closed: queries can be run, not submitted.</p>}
        {run.error && <ProblemNote problem={problemOf(run.error)} />}
        {run.data && <RunResult run={run.data} onMend={change} />}
        {exercise.reference_answer && (
          <details className="reference">
            <summary>Reference answer</summary>
            <SqlText label="Reference answer" text={exercise.reference_answer} readOnly />
          </details>
        )}
      </div>
      <aside className="right-margin" aria-live="polite">
        {submit.error && <ProblemNote problem={problemOf(submit.error)} />}
        {attempt && <MarginNotes attempt={attempt} changed={sql !== attempt.sql} onMend={change} />}
      </aside>
    </section>
  );
}
