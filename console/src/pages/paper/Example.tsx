import { useRef, useState } from "react";
import { Button } from "../../parts/Button";
import { SqlSpace, type SqlHandle } from "../../parts/sql/SqlSpace";
import type { Dataset } from "../../parts/sql/schema";
import { usePreferences } from "../../session";
import { RunButton } from "./results/RunButton";
import { RunResults } from "./results/RunResults";
import { useResults } from "./results/useResults";
import { useRuns } from "./results/useRuns";

/** An example that can be changed and run. */
export function Example({ paper, text, tables }: { paper: string; text: string; tables?: Dataset }) {
  const [sql, setSql] = useState(text);
  const space = useRef<SqlHandle>(null);
  const whole = useRef<HTMLDivElement>(null);
  const { preferences } = usePreferences();
  const runs = useRuns({ paper });
  const run = async () => runs.start((await space.current?.statements(false)) ?? []);
  useResults(whole, { run, clear: runs.clear });
  return (
    <div className="example" ref={whole}>
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
        {sql !== text && <Button onClick={() => space.current?.replace(text)}>Set back</Button>}
        {runs.all.length > 0 && runs.since === null && (
          <Button type="link" size="small" onClick={runs.clear}>
            Clear the result
          </Button>
        )}
      </div>
      <RunResults all={runs.all} earlier={runs.earlier} text={sql} onMend={setSql} />
    </div>
  );
}
