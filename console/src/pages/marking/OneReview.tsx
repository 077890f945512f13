import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { answer, api, type Schemas } from "../../api/client";
import { FindingNote } from "../../parts/FindingNote";
import { MarkForm } from "../../parts/notes/MarkForm";
import { NoteForm } from "../../parts/notes/NoteForm";
import { NoteView } from "../../parts/notes/NoteView";
import { ProblemNote } from "../../parts/ProblemNote";
import { SqlView } from "../../parts/sql/SqlView";
import { moment, outcomeWord, points } from "../../parts/words";
import { useSession } from "../../session";
import { causes } from "./causes";

/** What is open beneath the attempt; a note may be of a part of its text. */
export type Opened = { what: "mark" } | { what: "note"; quote: string } | null;

interface Props {
  review: Schemas["Review"];
  opened: Opened;
  onOpen(opened: Opened): void;
  onDone(done: { what: string; undo(): Promise<unknown> }): void;
}

/** The attempt at hand: whose it is, why it needs an eye, its text, what was found, its notes and its mark. */
export function OneReview({ review, opened, onOpen, onDone }: Props) {
  const { session } = useSession();
  const { attempt, paper, exercise, course } = review;
  const { learner, display_name: name } = attempt;
  const notes = useQuery({
    queryKey: ["notes", attempt.attempt],
    queryFn: () => answer(api.GET("/api/notes", { params: { query: { attempt: Number(attempt.attempt) } } })),
  });
  const work = new URLSearchParams({ paper, exercise, name, course });
  return (
    <article className="review" data-cause={review.cause}>
      <h2>
        {name}: {review.number}. {review.title}
      </h2>
      <p>
        <strong>{causes[review.cause]}.</strong> {review.reason}{" "}
        <span className="quiet">
          {outcomeWord(attempt.outcome)}, {review.mark} of {points(review.points)}
          {review.by_hand ? `, set by hand; ${review.computed} is computed` : ""}. Submitted {moment(attempt.at)}.
        </span>
      </p>
      <p>
        <Link to={`/papers/${paper}#${exercise}`}>The exercise</Link> ·{" "}
        <Link to={`/learners/${learner}/timeline?${work}`}>Step by step</Link>
      </p>
      <SqlView label="Query" text={attempt.sql} />
      {attempt.error && <ProblemNote problem={attempt.error} />}
      {attempt.findings.map((finding, i) => (
        <FindingNote key={i} finding={finding} />
      ))}
      {notes.data?.notes.map((note) => {
        const reader = note.readers.find((one) => one.learner === learner);
        return reader && <NoteView key={note.id} note={note} reader={reader} beside={attempt.attempt} staff />;
      })}
      {opened?.what === "mark" &&
        (session!.account.role === "instructor" ? (
          <MarkForm
            of={{ paper, exercise, learner, course }}
            onChanged={(undo) => undo && onDone({ what: `${name} was marked`, undo })}
            onClose={() => onOpen(null)}
          />
        ) : (
          <p>Marks are set by instructors; you can write a note.</p>
        ))}
      {opened?.what === "note" && (
        <NoteForm
          attempt={attempt.attempt}
          to={name}
          quote={opened.quote}
          onWritten={(note) =>
            onDone({
              what: `a note to ${name}`,
              undo: () => answer(api.DELETE("/api/notes/{note}", { params: { path: { note: Number(note) } } })),
            })
          }
          onClose={() => onOpen(null)}
        />
      )}
    </article>
  );
}
