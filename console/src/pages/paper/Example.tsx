import { useRef, useState } from "react";
import { SqlSpace, type SqlHandle } from "../../parts/sql/SqlSpace";
import type { Dataset } from "../../parts/sql/schema";
import { usePreferences } from "../../session";
import { RunButton } from "./results/RunButton";
import { RunResults } from "./results/RunResults";
import { useRuns } from "./results/useRuns";

/** An example that can be changed and run. */
export function Example({ paper, text, tables }: { paper: string; text: string; tables?: Dataset }) {
  const [sql, setSql] = useState(text);
  const space = useRef<SqlHandle>(null);
  const { preferences } = usePreferences();
  const runs = useRuns({ paper });
  const run = async () => runs.start((await space.current?.statements(false)) ?? []);
  return (
    <div className="example">
      <SqlSpace
        ref={space}
        label="Example"
        text={sql}
        dataset={tables}
        wrap={preferences.wrap}
        onChange={setSql}
        onRun={(statements) => void runs.start(statements)}
      />
      <div className="actions">
        <RunButton since={runs.since} label="Run the example" onRun={() => void run()} onStop={runs.stop} />
      </div>
      <RunResults all={runs.all} earlier={runs.earlier} text={sql} onMend={setSql} />
    </div>
  );
}
