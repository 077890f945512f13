import { useEffect, useRef } from "react";
import { Button } from "../../parts/Button";
import { SqlSpace, type SqlHandle } from "../../parts/sql/SqlSpace";
import type { Dataset } from "../../parts/sql/schema";
import { usePreferences } from "../../session";
import { writing } from "../../work/writing";
import { fencedOf, withBody } from "./pieces";
import { TriedResult } from "./TriedResult";
import { useTry } from "./useTry";

interface Props {
  paper: string;
  text: string;
  tables?: Dataset;
  onChange(text: string): void;
  onRemove(): void;
}

/** An example that learners can run: it is run as it is written. */
export function ExampleEditor({ paper, text, tables, onChange, onRemove }: Props) {
  const block = fencedOf(text);
  const space = useRef<SqlHandle>(null);
  const { preferences } = usePreferences();
  const { tried, running, run } = useTry(paper, block.body);
  useEffect(() => {
    const handle = space.current;
    return () => {
      if (handle) writing.leave(handle);
    };
  }, []);
  return (
    <div className="example-editor" onFocus={() => space.current && writing.use(space.current)}>
      <h3>Example</h3>
      <SqlSpace
        ref={space}
        label="Example"
        text={block.body}
        dataset={tables}
        wrap={preferences.wrap}
        onChange={(body) => onChange(withBody(block, body))}
        onRun={run}
      />
      <div className="actions">
        <Button onClick={run} loading={running}>
          Run
        </Button>
        <Button size="small" onClick={onRemove}>
          Take the example out
        </Button>
      </div>
      <TriedResult tried={tried} running={running} changed={tried?.sql !== block.body} />
    </div>
  );
}
