import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { problemOf, type Problem } from "../../api/client";

/** Changes something of a course and then shows it as it is now; what goes wrong is told. */
export function useChange(course: string) {
  const queries = useQueryClient();
  const [problem, setProblem] = useState<Problem>();
  const [busy, setBusy] = useState(false);
  /** Resolves to whether it was changed. */
  async function change(call: () => Promise<unknown>) {
    setBusy(true);
    try {
      await call();
      setProblem(undefined);
      for (const key of [["course", course], ["courses"], ["extensions", course], ["papers"]])
        void queries.invalidateQueries({ queryKey: key });
      return true;
    } catch (error) {
      setProblem(problemOf(error));
      return false;
    } finally {
      setBusy(false);
    }
  }
  return { change, problem, busy };
}
