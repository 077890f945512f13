import { memo, Suspense, useEffect, useEffectEvent, useRef, useState } from "react";
import { Link, useLocation, useNavigate } from "react-router";
import { Button } from "../../parts/Button";
import type { Exercise } from "../../api/client";
import { lazily } from "../../parts/lazily";
import { Prose } from "../../parts/Prose";
import { useServersUp } from "../../parts/Servers";
import { SqlSpace, type SqlHandle } from "../../parts/sql/SqlSpace";
import { layOut, SqlTools } from "../../parts/sql/SqlTools";
import { SqlView } from "../../parts/sql/SqlView";
import type { Dataset } from "../../parts/sql/schema";
import { points } from "../../parts/words";
import { Example } from "./Example";
import { ExpectedResult } from "./ExpectedResult";
import { MarginNotes } from "./MarginNotes";
import { MarginState } from "./MarginState";
import { RunButton } from "./results/RunButton";
import { RunResults } from "./results/RunResults";
import { usePreferences } from "../../session";
import { keyOf } from "../../work/place";
import { submissions } from "../../work/submissions";
import { writing } from "../../work/writing";
import { PlanView } from "./results/PlanView";
import { TwoVersions } from "./TwoVersions";
import { SubmissionState } from "./SubmissionState";
import { useDraft, usePlace, useSubmission } from "./useDraft";
import { useRuns } from "./results/useRuns";

const Beside = lazily(() => import("./results/Beside").then((m) => m.Beside));

interface Props {
  exercise: Exercise;
  tables?: Dataset;
  closed: boolean;
  broughtBack?: string;
  inFocus: boolean;
  /** Gives an exercise the window, or takes it back. */
  onFocus(exercise: string | null): void;
}

/**
 * An exercise: its state in the left margin; task, answer space and rows in the column; findings in the right margin.
 */
export const ExerciseSection = memo(function ExerciseSection({
  exercise,
  tables,
  closed,
  broughtBack,
  inFocus,
  onFocus,
}: Props) {
  const { paper, slug } = exercise;
  const place = usePlace(exercise);
  const { draft, sql, said, conflict, theirs } = useDraft(place, exercise);
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

  const space = useRef<SqlHandle>(null);
  const { preferences } = usePreferences();
  const [unmend, setUnmend] = useState<(() => void) | null>(null);
  const runs = useRuns({ paper, exercise: slug });
  const [beside, setBeside] = useState<string | null>(null); // the attempt whose rows are shown beside its findings
  const [planned, setPlanned] = useState<string | null>(null); // the statement whose plan is shown
  const explain = async () => setPlanned((await space.current?.statements(false))?.[0]?.text ?? null);
  const run = async (all = false) => runs.start((await space.current?.statements(all)) ?? []);
  useEffect(() => {
    const handle = space.current;
    return () => {
      if (handle) writing.leave(handle);
    };
  }, []);
  // What was said while a server was down goes when it is up again.
  const up = useServersUp();
  const cameUp = useEffectEvent(() => {
    runs.serversUp();
    submissions.sendWaiting();
  });
  useEffect(() => {
    if (up) cameUp();
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
        {exercise.blocks.map((block, i) =>
          block.kind === "example" ? (
            <Example key={i} paper={paper} text={block.text} tables={tables} />
          ) : (
            <Prose key={i} html={block.html ?? ""} />
          ),
        )}
        <ExpectedResult exercise={exercise} />
      </div>
      <div className="middle answer">
        <div onFocus={() => space.current && writing.use(space.current)}>
          <SqlSpace
            ref={space}
            label={`Answer to ${exercise.title}`}
            text={sql}
            dataset={tables}
            wrap={preferences.wrap}
            undoKey={keyOf(place)}
            onChange={change}
            onRun={(statements) => void runs.start(statements)}
            onLayOut={() => void layOut(space, sql)}
            onMended={(undo) => setUnmend(() => undo)}
          />
        </div>
        {unmend && (
          <p className="quiet" role="status">
            Typographic quotes, dashes and spaces in what you pasted were replaced by those that SQL has.{" "}
            <Button
              size="small"
              onClick={() => {
                unmend();
                setUnmend(null);
              }}
            >
              Undo
            </Button>
          </p>
        )}
        <div className="actions">
          <RunButton since={runs.since} onRun={() => void run()} onStop={runs.stop} />
          <Button
            type="primary"
            onClick={() => submissions.submit(place, sql)}
            loading={submission?.state === "sending"}
            disabled={closed || used || submission?.state === "waiting"}
          >
            Submit
          </Button>
          <span className="quiet draft-state" role="status">
            {said}
          </span>
          <span className="actions-end">
            {exercise.attempts > 0 && <Link to={`/history?paper=${paper}&exercise=${slug}`}>Previous attempts</Link>}
            <SqlTools handle={space} text={sql} file={`${paper}-${slug}.sql`} onPlan={() => void explain()} />
            <Button type="link" onClick={() => onFocus(inFocus ? null : slug)}>
              {inFocus ? "Back to the paper" : "Focus"}
            </Button>
          </span>
        </div>
        {conflict && <TwoVersions ours={sql} theirs={theirs} onSettle={(take) => void draft.settle(take)} />}
        {closed && <p className="quiet">The paper is closed: queries can be run, not submitted.</p>}
        {attempt && beside === attempt.id && (
          <Suspense>
            <Beside
              key={attempt.id}
              attempt={attempt}
              ran={runs.earlier.find((ran) => ran.sql.trim() === attempt.sql.trim())}
              onClose={() => setBeside(null)}
            />
          </Suspense>
        )}
        {planned !== null && <PlanView of={{ paper, exercise: slug, sql: planned }} onClose={() => setPlanned(null)} />}
        <RunResults all={runs.all} earlier={runs.earlier} text={sql} onMend={change} />
        {exercise.reference_answer && (
          <details className="reference">
            <summary>Reference answer</summary>
            <SqlView label="Reference answer" text={exercise.reference_answer} />
          </details>
        )}
      </div>
      <aside className="right-margin" aria-live="polite">
        {submission && <SubmissionState submission={submission} />}
        {attempt && (
          <MarginNotes
            attempt={attempt}
            changed={sql !== attempt.sql}
            onMend={change}
            onBeside={() => setBeside(attempt.id)}
          />
        )}
      </aside>
    </section>
  );
});
