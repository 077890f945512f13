import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { answer, api, problemOf, type Problem, type Run } from "../../../api/client";
import type { Statement } from "../../../parts/sql/language";
import { copyNow, windowName } from "../../../work/copies";

/** A statement that was run, or is being run. */
export interface Ran {
  statement: Statement;
  state: "waiting" | "running" | "ended" | "stopped" | "not run";
  run?: Run; // of the time before, while it is running
  problem?: Problem; // why it could not be run
}

/** A problem with its place in the whole text, of which only the statement was sent. */
function placed(problem: Problem, { line, column }: Statement): Problem {
  const { place } = problem;
  if (!place || place.file) return problem;
  const shift = place.line === 1 ? column - 1 : 0;
  return {
    ...problem,
    place: {
      ...place,
      line: place.line + line - 1,
      column: place.column + shift,
      text: " ".repeat(shift) + place.text,
    },
  };
}

/** A text as one: what may change something is run as a whole, since its statements belong together. */
export const whole = (text: string): Statement[] => [{ text, from: 0, to: text.length, line: 1, column: 1 }];

const mostEarlier = 10;

/** Runs statements one after another, up to the first that fails. */
export function useRuns(on: { paper?: string; exercise?: string; dataset?: string }) {
  const [all, setAll] = useState<Ran[]>([]);
  const [earlier, setEarlier] = useState<Run[]>([]); // those that gave rows, the latest first
  const [since, setSince] = useState<number | null>(null); // when what is running began
  const calls = useRef<AbortController>(null);
  const queries = useQueryClient();
  useEffect(() => () => calls.current?.abort(), []);

  async function start(statements: Statement[]) {
    if (!statements.length) return;
    calls.current?.abort();
    const call = new AbortController();
    calls.current = call;
    const now: Ran[] = statements.map((statement, i) => ({ statement, state: "waiting", run: all[i]?.run }));
    setSince(Date.now());
    for (const [i, statement] of statements.entries()) {
      now[i] = { ...now[i], state: "running" };
      setAll([...now]);
      try {
        const body = { ...on, sql: statement.text, window: windowName() };
        const run = await answer(api.POST("/api/runs", { body, signal: call.signal }));
        if (run.copy) copyNow(queries, run.copy);
        now[i] = { statement, state: "ended", run: run.error ? { ...run, error: placed(run.error, statement) } : run };
        if (!run.error) setEarlier((runs) => [run, ...runs].slice(0, mostEarlier));
      } catch (error) {
        void queries.invalidateQueries({ queryKey: ["copy"] }); // it may be gone
        now[i] = call.signal.aborted
          ? { statement, state: "stopped" }
          : { statement, state: "ended", problem: problemOf(error) };
      }
      if (calls.current !== call) return; // others have begun
      if (now[i].state === "stopped" || now[i].problem || now[i].run?.error) break;
    }
    setAll(now.map((ran) => (ran.state === "waiting" ? { statement: ran.statement, state: "not run" } : ran)));
    setSince(null);
  }

  return {
    all,
    earlier,
    since,
    start,
    /** Ends what is running; the service ends it, too. */
    stop: () => calls.current?.abort(),
    /** Forgets what was run; what is running ends. */
    clear() {
      calls.current?.abort();
      calls.current = null;
      setAll([]);
      setSince(null);
    },
    /** Forgets what went wrong because a server was down. */
    serversUp: () => setAll((ran) => (ran.some((r) => [0, 503].includes(r.problem?.status ?? -1)) ? [] : ran)),
  };
}
