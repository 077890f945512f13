import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { problemOf, type Problem } from "../api/client";

/** Makes a call, then has what it changes asked for anew; what goes wrong is told. */
export function useCall(...changes: string[]) {
  const queries = useQueryClient();
  const [problem, setProblem] = useState<Problem>();
  const [busy, setBusy] = useState(false);
  /** Resolves to what the call answers, or to undefined where it went wrong. */
  async function call<T>(what: () => Promise<T>): Promise<T | undefined> {
    setBusy(true);
    try {
      const answered = await what();
      setProblem(undefined);
      await Promise.all(changes.map((key) => queries.invalidateQueries({ queryKey: [key] })));
      return answered;
    } catch (error) {
      setProblem(problemOf(error));
      return undefined;
    } finally {
      setBusy(false);
    }
  }
  return { call, problem, busy };
}
