import { useEffect, useEffectEvent, useState } from "react";
import { answer, api, problemOf, type Problem, type Schemas } from "../../api/client";

export type Tried = Schemas["Tried"];

const pause = 900; // milliseconds after the last key

/** Runs a query as it is written, and says what came of it. The text that was run is told, too. */
export function useTry(paper: string, sql: string) {
  const [tried, setTried] = useState<{ sql: string; result?: Tried; problem?: Problem }>();
  const [running, setRunning] = useState(false);
  const run = async (signal?: AbortSignal) => {
    if (!sql.trim()) return setTried(undefined);
    setRunning(true);
    try {
      const result = await answer(
        api.POST("/api/papers/{paper}/writing/tries", { params: { path: { paper } }, body: { sql }, signal }),
      );
      setTried({ sql, result });
    } catch (error) {
      if (!signal?.aborted) setTried({ sql, problem: problemOf(error) });
    }
    if (!signal?.aborted) setRunning(false);
  };
  const runLater = useEffectEvent((signal: AbortSignal) => run(signal));
  useEffect(() => {
    const call = new AbortController();
    const timer = setTimeout(() => void runLater(call.signal), pause);
    return () => {
      clearTimeout(timer);
      call.abort();
    };
  }, [sql]);
  return { tried, running, run: () => void run() };
}
