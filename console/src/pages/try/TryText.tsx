import { useRef, useState, type ReactNode } from "react";
import type { Schemas } from "../../api/client";
import { Button } from "../../parts/Button";
import { CopyLine } from "../../parts/CopyLine";
import { SqlSpace, type SqlHandle } from "../../parts/sql/SqlSpace";
import { layOut, SqlTools } from "../../parts/sql/SqlTools";
import { useTables } from "../../parts/sql/useTables";
import { usePreferences } from "../../session";
import { writing } from "../../work/writing";
import { PlanView } from "../paper/results/PlanView";
import { RunButton } from "../paper/results/RunButton";
import { RunResults } from "../paper/results/RunResults";
import { useRuns, whole } from "../paper/results/useRuns";
import type { ToTry } from "./TryPage";

interface Props {
  name?: string;
  text: ToTry;
  datasets: Schemas["DatasetSummary"][];
  onChange(change: Partial<ToTry>): void;
  onTables(dataset: string): void;
  /** What can be done with the text besides running it. */
  children: ReactNode;
}

/** A text with its dataset, and the rows that it gives. */
export function TryText({ name, text, datasets, onChange, onTables, children }: Props) {
  const { dataset, sql } = text;
  const space = useRef<SqlHandle>(null);
  const { preferences } = usePreferences();
  const [used, setUsed] = useState(false);
  const [planned, setPlanned] = useState<string | null>(null);
  const known = datasets.find((d) => d.name === dataset);
  const tables = useTables(used ? dataset : undefined, known?.build);
  const runs = useRuns({ dataset });
  const run = async () => runs.start(known?.changes ? whole(sql) : ((await space.current?.statements(false)) ?? []));
  const explain = async () => setPlanned((await space.current?.statements(false))?.[0]?.text ?? null);
  const change = (next: string) => onChange({ sql: next });
  return (
    <div className="try-text">
      <p className="filters">
        {name && <strong>{name}</strong>}
        <label>
          Dataset{" "}
          <select value={dataset} onChange={(event) => onChange({ dataset: event.target.value })}>
            {datasets.map((d) => (
              <option key={d.name} value={d.name} label={d.title} />
            ))}
          </select>
        </label>
        <Button size="small" onClick={() => onTables(dataset)}>
          Tables
        </Button>
        {children}
      </p>
      {known?.changes && <CopyLine key={dataset} dataset={dataset} />}
      <div
        onFocus={() => {
          setUsed(true);
          if (space.current) writing.use(space.current);
        }}
      >
        <SqlSpace
          ref={space}
          label={name ? `Text of ${name}` : "Text without a name"}
          text={sql}
          dataset={tables}
          wrap={preferences.wrap}
          onChange={change}
          onRun={(statements) => void runs.start(statements)}
          onLayOut={() => void layOut(space, sql)}
        />
      </div>
      <div className="actions">
        <RunButton since={runs.since} onRun={() => void run()} onStop={runs.stop} />
        <span className="actions-end">
          <SqlTools handle={space} text={sql} file={`${name ?? "text"}.sql`} onPlan={() => void explain()} />
        </span>
      </div>
      {planned !== null && <PlanView of={{ dataset, sql: planned }} onClose={() => setPlanned(null)} />}
      <RunResults all={runs.all} earlier={runs.earlier} text={sql} onMend={change} />
    </div>
  );
}
