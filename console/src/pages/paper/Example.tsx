import { Button } from "antd";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api, problemOf } from "../../api/client";
import { ProblemNote } from "../../parts/ProblemNote";
import { SqlText } from "../../parts/SqlText";
import { RunResult } from "./RunResult";

/** An example that can be changed and run. */
export function Example({ paper, text }: { paper: string; text: string }) {
  const [sql, setSql] = useState(text);
  const run = useMutation({ mutationFn: () => answer(api.POST("/api/runs", { body: { paper, sql } })) });
  return (
    <div className="example">
      <SqlText label="Example" text={text} onChange={setSql} onRun={() => run.mutate()} />
      <div className="actions">
        <Button onClick={() => run.mutate()} loading={run.isPending}>
          Run the example
        </Button>
      </div>
      {run.error && <ProblemNote problem={problemOf(run.error)} />}
      {run.data && <RunResult run={run.data} />}
    </div>
  );
}
