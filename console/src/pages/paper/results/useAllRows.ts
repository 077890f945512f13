import { useEffect, useRef, useState } from "react";
import { answer, api, problemOf, type Problem, type Rows, type Run } from "../../../api/client";

/** The most rows that a page holds of a result. */
export const mostRows = 200_000;

/** A run's rows: the first, and on demand those that follow. */
export function useAllRows(run: Run) {
  const [rows, setRows] = useState<Rows>(run.rows);
  const [fetched, setFetched] = useState<number | null>(null); // while they come
  const [problem, setProblem] = useState<Problem | null>(null);
  const call = useRef<AbortController>(null);
  useEffect(() => () => call.current?.abort(), []);

  async function fetchOn() {
    call.current = new AbortController();
    setFetched(0);
    setProblem(null);
    try {
      setRows(await read(run.id, call.current.signal, setFetched));
    } catch (error) {
      if (!call.current.signal.aborted) setProblem(problemOf(error));
    }
    setFetched(null);
  }
  return { rows, fetched, problem, fetchOn, stop: () => call.current?.abort() };
}

/** Reads rows as they come, one a line. */
async function read(run: string, signal: AbortSignal, onRows: (count: number) => void): Promise<Rows> {
  const query = { format: "lines", most: mostRows } as const;
  const body = await answer(
    api.GET("/api/runs/{run}/rows", { params: { path: { run }, query }, parseAs: "stream", signal }),
  );
  const rows: Rows = [];
  const reader = body!.pipeThrough(new TextDecoderStream()).getReader();
  let rest = "";
  for (;;) {
    const { done, value } = await reader.read();
    if (done) return rows;
    const lines = (rest + value).split("\n");
    rest = lines.pop()!;
    for (const line of lines) rows.push(JSON.parse(line) as Rows[number]);
    onRows(rows.length);
  }
}
