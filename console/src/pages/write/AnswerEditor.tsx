import { useEffect, useEffectEvent, useRef } from "react";
import { Button } from "../../parts/Button";
import { SqlSpace, type SqlHandle } from "../../parts/sql/SqlSpace";
import { layOut, SqlTools } from "../../parts/sql/SqlTools";
import type { Dataset } from "../../parts/sql/schema";
import { usePreferences } from "../../session";
import { writing } from "../../work/writing";
import { listOf, readCheck } from "./check";
import { fencedOf, withBody } from "./pieces";
import { TriedResult } from "./TriedResult";
import { useTry } from "./useTry";

interface Props {
  paper: string;
  label: string;
  /** The block as it is written, or, of a further answer, the query alone. */
  text: string;
  bare?: boolean;
  /** The check block, which says what of the result a learner sees. */
  check?: string;
  tables?: Dataset;
  onChange(text: string): void;
  onUses?(constructs: string[]): void;
}

/** An accepted answer: it is run as it is written. */
export function AnswerEditor({ paper, label, text, bare, check, tables, onChange, onUses }: Props) {
  const block = bare ? undefined : fencedOf(text);
  const sql = block ? block.body : text;
  const change = (next: string) => onChange(block ? withBody(block, next) : next);
  const space = useRef<SqlHandle>(null);
  const { preferences } = usePreferences();
  const { tried, running, run } = useTry(paper, sql);
  const tell = useEffectEvent((constructs: string[]) => onUses?.(constructs));
  useEffect(() => {
    if (tried?.result) tell(tried.result.constructs);
  }, [tried]);
  useEffect(() => {
    const handle = space.current;
    return () => {
      if (handle) writing.leave(handle);
    };
  }, []);
  const rules = readCheck(check ? fencedOf(check).body : "");
  const shows = typeof rules === "string" ? "columns" : (listOf(rules, "show")[0] ?? "columns");
  return (
    <div className="answer-editor" onFocus={() => space.current && writing.use(space.current)}>
      <h3>{bare ? label : "Accepted answer"}</h3>
      <SqlSpace
        ref={space}
        label={label}
        text={sql}
        dataset={tables}
        wrap={preferences.wrap}
        onChange={change}
        onRun={run}
        onLayOut={() => void layOut(space, sql)}
      />
      <div className="actions">
        <Button onClick={run} loading={running}>
          Run
        </Button>
        <span className="quiet">It is run as you write; learners never see it.</span>
        <span className="actions-end">
          <SqlTools handle={space} text={sql} file={`${paper}-answer.sql`} />
        </span>
      </div>
      <TriedResult tried={tried} running={running} changed={tried?.sql !== sql} shows={bare ? undefined : shows} />
    </div>
  );
}
