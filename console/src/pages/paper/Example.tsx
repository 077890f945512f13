import { useRef, useState } from "react";
import { Button } from "../../parts/Button";
import { SqlSpace, type SqlHandle } from "../../parts/sql/SqlSpace";
import type { Dataset } from "../../parts/sql/schema";
import { usePreferences } from "../../session";
import { RunButton } from "./results/RunButton";
import { RunResults } from "./results/RunResults";
import { useResults } from "./results/useResults";
import { useRuns, whole } from "./results/useRuns";

interface Props {
  paper: string;
  text: string;
  tables?: Dataset;
  /** It may change something. */
  changes?: boolean;
}

/** An example that can be changed and run. */
export function Example({ paper, text, tables, changes }: Props) {
  const [sql, setSql] = useState(text);
  const space = useRef<SqlHandle>(null);
  const itself = useRef<HTMLDivElement>(null);
  const { preferences } = usePreferences();
  const runs = useRuns({ paper });
  const run = async () => runs.start(changes ? whole(sql) : ((await space.current?.statements(false)) ?? []));
  useResults(itself, { run, clear: runs.clear });
  return (
    <div className="example" ref={itself}>
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
