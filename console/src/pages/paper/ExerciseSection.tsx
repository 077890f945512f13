import { Button } from "antd";
import { useMutation } from "@tanstack/react-query";
import { useEffect } from "react";
import { Link, useLocation, useNavigate } from "react-router";
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
import { submissions } from "../../work/submissions";
import { SubmissionState } from "./SubmissionState";
import { useDraft, usePlace, useSubmission } from "./useDraft";

interface Props {
  exercise: Exercise;
  closed: boolean;
  broughtBack?: string;
  inFocus: boolean;
  onFocus(): void;
}

/** An exercise: its state in the left margin; task, answer space and rows in the column; findings in the right margin. */
export function ExerciseSection({ exercise, closed, broughtBack, inFocus, onFocus }: Props) {
  const { paper, slug } = exercise;
  const place = usePlace(exercise);
  const { draft, sql, said, conflict } = useDraft(place, exercise);
  const submission = useSubmission(place);
  const change = (text: string) => draft.change(text);

  // A text from the history is taken once: going back in the browser does not bring it again.
  const navigate = useNavigate();
  const { pathname, search, hash } = useLocation();
  useEffect(() => {
    if (broughtBack === undefined) return;
    draft.change(broughtBack);
    void navigate(pathname + search + hash, { replace: true, state: null });
  }, [broughtBack, draft, navigate, pathname, search, hash]);

  const run = useMutation({ mutationFn: () => answer(api.POST("/api/runs", { body: { paper, exercise: slug, sql } })) });
  // What was said while a server was down goes when it is up again.
  const up = useServersUp();
  useEffect(() => {
    if (up && run.error && [0, 503].includes(problemOf(run.error).status)) run.reset();
    if (up) submissions.sendWaiting();
    // Only its coming up matters.
  }, [up]);
  const attempt = exercise.latest;
  const used = exercise.attempts_allowed !== undefined && exercise.attempts_used >= exercise.attempts_allowed;

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
          <Button type="primary" onClick={() => submissions.submit(place, sql)} loading={submission?.state === "sending"} disabled={closed || used || submission?.state === "waiting"}>
            Submit
          </Button>
          <span className="quiet draft-state" role="status">
            {said}
          </span>
          {conflict && (
            <>
              <Button size="small" onClick={() => void draft.settle("theirs")}>
                Use the other version
              </Button>
              <Button size="small" onClick={() => void draft.settle("ours")}>
                Keep this one
              </Button>
            </>
          )}
          <span className="actions-end">
            {exercise.attempts > 0 && <Link to={`/history?paper=${paper}&exercise=${slug}`}>Previous attempts</Link>}
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
        {submission && <SubmissionState submission={submission} />}
        {attempt && <MarginNotes attempt={attempt} changed={sql !== attempt.sql} onMend={change} />}
      </aside>
    </section>
  );
}
