import { Prose } from "../../parts/Prose";
import { SqlView } from "../../parts/sql/SqlView";
import type { Dataset } from "../../parts/sql/schema";
import { points } from "../../parts/words";
import type { Schemas } from "../../api/client";
import type { WritingPart } from "../../work/paperText";
import { Example } from "../paper/Example";
import { ExpectedResult } from "../paper/ExpectedResult";

interface Props {
  part: WritingPart;
  paper: string;
  /** The number of its first exercise. */
  number: number;
  tables?: Dataset;
}

/** A part as a learner sees it, with the accepted answer, which a learner does not see. */
export function ShownPart({ part, paper, number, tables }: Props) {
  let next = number;
  return part.sections.map((section, i) =>
    section.exercise ? (
      <Shown key={i} exercise={section.exercise} paper={paper} number={next++} tables={tables} />
    ) : (
      <div key={i}>
        {section.title && <h2>{section.title}</h2>}
        <Blocks blocks={section.blocks ?? []} paper={paper} tables={tables} />
      </div>
    ),
  );
}

interface ShownProps extends Pick<Props, "paper" | "number" | "tables"> {
  exercise: Schemas["Exercise"];
}

function Shown({ exercise, paper, number, tables }: ShownProps) {
  return (
    <>
      <span className="number">{number}</span>
      <h2>
        {exercise.title || <em>No title yet</em>} <small>{points(exercise.points)}</small>
      </h2>
      <Blocks blocks={exercise.blocks} paper={paper} tables={tables} />
      <ExpectedResult exercise={exercise} />
      <details className="reference" open>
        <summary>Accepted answer</summary>
        <SqlView label={`Accepted answer of ${exercise.title}`} text={exercise.reference_answer ?? ""} />
      </details>
    </>
  );
}

function Blocks({ blocks, paper, tables }: { blocks: Schemas["Block"][]; paper: string; tables?: Dataset }) {
  return blocks.map((block, i) =>
    block.kind === "example" ? (
      <Example key={`${i} ${block.text}`} paper={paper} text={block.text} tables={tables} />
    ) : (
      <Prose key={i} html={block.html ?? ""} />
    ),
  );
}
