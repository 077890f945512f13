import { Suspense, useEffect, useEffectEvent, useRef, useState } from "react";
import { useLocation, useNavigate } from "react-router";
import { Button } from "../../parts/Button";
import type { Exercise } from "../../api/client";
import { lazily } from "../../parts/lazily";
import { useServersUp } from "../../parts/Servers";
import { SqlSpace, type SqlHandle } from "../../parts/sql/SqlSpace";
import { layOut, SqlTools } from "../../parts/sql/SqlTools";
import { SqlView } from "../../parts/sql/SqlView";
import type { Dataset } from "../../parts/sql/schema";
import { usePreferences } from "../../session";
import { keyOf } from "../../work/place";
import { submissions } from "../../work/submissions";
import { writing } from "../../work/writing";
import { MarginNotes } from "./MarginNotes";
import { Mended } from "./Mended";
import { PlanView } from "./results/PlanView";
import { RunButton } from "./results/RunButton";
import { RunResults } from "./results/RunResults";
import { useResults } from "./results/useResults";
import { useRuns, whole } from "./results/useRuns";
import { SubmissionState } from "./SubmissionState";
import { TwoVersions } from "./TwoVersions";
import { useDraft, usePlace, useSubmission } from "./useDraft";

const Beside = lazily(() => import("./results/Beside").then((m) => m.Beside));
const SmallestExample = lazily(() => import("./results/SmallestExample").then((m) => m.SmallestExample));

interface Props {
  exercise: Exercise;
  tables?: Dataset;
  closed: boolean;
  broughtBack?: string;
  narrow: boolean;
}

/** An exercise's answer space, the rows beneath it, and the notes beside it or, where there is no room, beneath. */
export function Answer({ exercise, tables, closed, broughtBack, narrow }: Props) {
  const { paper, slug } = exercise;
  const place = usePlace(exercise);
  const { draft, sql, said, conflict, theirs } = useDraft(place, exercise);
  const submission = useSubmission(place);
  const change = (text: string) => draft.change(text);
  useBroughtBack(broughtBack, change);

  const space = useRef<SqlHandle>(null);
  const itself = useRef<HTMLDivElement>(null);
  const { preferences } = usePreferences();
  const [unmend, setUnmend] = useState<(() => void) | null>(null);
  const runs = useRuns({ paper, exercise: slug });
  const [beside, setBeside] = useState<string | null>(null); // the attempt whose rows are shown beside its findings
  const [example, setExample] = useState<string | null>(null); // the attempt whose example is shown
  const [planned, setPlanned] = useState<string | null>(null); // the statement whose plan is shown
  const explain = async () => setPlanned((await space.current?.statements(false))?.[0]?.text ?? null);
  const run = async () => runs.start(exercise.changes ? whole(sql) : ((await space.current?.statements(false)) ?? []));
  useResults(itself, { clear: runs.clear });
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
  const notes = (
    <aside className="right-margin" aria-label={`Notes on ${exercise.title}`} aria-live="polite">
      {submission && <SubmissionState submission={submission} />}
      <MarginNotes
        exercise={exercise}
        text={sql}
        onMend={change}
        onBeside={() => setBeside(attempt?.id ?? null)}
        onExample={() => setExample(attempt?.id ?? null)}
        onBringBack={(text) => space.current?.replace(text)}
      />
    </aside>
  );
  return (
    <div className="answer" ref={itself}>
      {!narrow && notes}
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
      {unmend && <Mended undo={unmend} onDone={() => setUnmend(null)} />}
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
          {runs.all.length > 0 && runs.since === null && (
            <Button type="link" size="small" onClick={runs.clear}>
              Clear the result
            </Button>
          )}
          <SqlTools handle={space} text={sql} file={`${paper}-${slug}.sql`} onPlan={() => void explain()} />
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
      {attempt && example === attempt.id && (
        <Suspense>
          <SmallestExample key={attempt.id} attempt={attempt.id} text={sql} onClose={() => setExample(null)} />
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
      {narrow && notes}
    </div>
  );
}

/** A text from the history is taken once: going back in the browser does not bring it again. */
function useBroughtBack(text: string | undefined, change: (text: string) => void) {
  const navigate = useNavigate();
  const { pathname, search, hash } = useLocation();
  const take = useEffectEvent(change);
  useEffect(() => {
    if (text === undefined) return;
    take(text);
    void navigate(pathname + search + hash, { replace: true, state: null });
  }, [text, navigate, pathname, search, hash]);
}
