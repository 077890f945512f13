import { useState } from "react";
import { Button } from "../../parts/Button";
import type { Dataset } from "../../parts/sql/schema";
import { AnswerEditor } from "./AnswerEditor";
import { listOf, readCheck, setRule } from "./check";
import { Constructs } from "./Constructs";
import { fencedOf, withBody } from "./pieces";
import { RuleFields } from "./RuleFields";
import { TextSpace } from "./TextSpace";

interface Props {
  paper: string;
  text: string;
  /** What the accepted answer uses, as rules name it. */
  uses: string[];
  /** All that rules may name. */
  constructs: string[];
  tables?: Dataset;
  onChange(text: string): void;
}

/** The rules of an exercise: a form, whose result is the check block, or the block itself. */
export function CheckEditor({ paper, text, uses, constructs, tables, onChange }: Props) {
  const [asBlock, setAsBlock] = useState(false);
  const block = fencedOf(text);
  const rules = readCheck(block.body);
  const set = (key: string, value: unknown) => onChange(withBody(block, setRule(block.body, key, value)));
  const wrong = typeof rules === "string" ? rules : null;
  if (wrong !== null || asBlock || typeof rules === "string")
    return (
      <section className="check-editor" aria-label="Points and rules">
        <h3>Points and rules, as the block has them</h3>
        <TextSpace label="Check block" text={block.body} onChange={(body) => onChange(withBody(block, body))} />
        {wrong && <p role="alert">This is not YAML as expected: {wrong}</p>}
        <Button size="small" disabled={wrong !== null} onClick={() => setAsBlock(false)}>
          As a form
        </Button>
      </section>
    );
  const also = listOf(rules, "also");
  return (
    <section className="check-editor" aria-label="Points and rules">
      <h3>Points and rules</h3>
      <RuleFields rules={rules} variants={tables?.variants ?? []} onSet={set} />
      <Constructs rule="require" rules={rules} known={constructs} proposed={uses} onSet={set} />
      <Constructs rule="forbid" rules={rules} known={constructs} proposed={[]} onSet={set} />
      {also.map((sql, i) => (
        <div key={i} className="also">
          <AnswerEditor
            paper={paper}
            label={`Also accepted, ${i + 1}`}
            text={sql}
            bare
            tables={tables}
            onChange={(next) =>
              set(
                "also",
                also.map((old, j) => (j === i ? next : old)),
              )
            }
          />
          <Button
            size="small"
            onClick={() => set("also", also.length > 1 ? also.filter((_, j) => j !== i) : undefined)}
          >
            Take this answer out
          </Button>
        </div>
      ))}
      <p className="piece-actions">
        <Button size="small" onClick={() => set("also", [...also, "SELECT 1"])}>
          Accept another answer
        </Button>
        <Button size="small" onClick={() => setAsBlock(true)}>
          Write the block itself
        </Button>
      </p>
    </section>
  );
}
