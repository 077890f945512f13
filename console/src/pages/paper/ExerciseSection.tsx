import { memo } from "react";
import { Button } from "../../parts/Button";
import type { Exercise } from "../../api/client";
import { Prose } from "../../parts/Prose";
import type { Dataset } from "../../parts/sql/schema";
import { points } from "../../parts/words";
import { Answer } from "./Answer";
import { Example } from "./Example";
import { ExpectedResult } from "./ExpectedResult";

interface Props {
  exercise: Exercise;
  tables?: Dataset;
  closed: boolean;
  broughtBack?: string;
  /** Whether another exercise has the window. */
  away: boolean;
  inFocus: boolean;
  /** There is no room for the notes beside the answer: they come beneath it. */
  narrow: boolean;
  /** Gives an exercise the window, or takes it back. */
  onFocus(exercise: string | null): void;
}

/** An exercise: its number in the left margin; task, answer space and rows in the column; notes in the right margin. */
export const ExerciseSection = memo(function ExerciseSection({ exercise, away, inFocus, onFocus, ...rest }: Props) {
  const { paper, slug, number, title } = exercise;
  return (
    <section className="strip exercise" id={slug} data-exercise={slug} hidden={away} aria-labelledby={`${slug}-title`}>
      <span className="number">{number}</span>
      <div className="task">
        <h2 id={`${slug}-title`} tabIndex={-1}>
          {title} <small>{points(exercise.points)}</small>
          <Button type="link" size="small" className="focus-button" onClick={() => onFocus(inFocus ? null : slug)}>
            {inFocus ? "Back to the paper" : "Focus"}
          </Button>
        </h2>
        {exercise.blocks.map((block, i) =>
          block.kind === "example" ? (
            <Example key={i} paper={paper} text={block.text} tables={rest.tables} changes={exercise.changes} />
          ) : (
            <Prose key={i} html={block.html ?? ""} />
          ),
        )}
        <ExpectedResult exercise={exercise} />
      </div>
      <Answer exercise={exercise} {...rest} />
    </section>
  );
});
