import { Link } from "react-router";
import { answer, api, type Schemas } from "../../api/client";
import { Button } from "../Button";
import { ProblemNote } from "../ProblemNote";
import { useCall } from "../useCall";
import { count, moment } from "../words";

/** A note as those who teach see it beside a group: whom it reaches, who has seen it, and what was answered. */
export function NoteSummary({ note }: { note: Schemas["Note"] }) {
  const { call, problem, busy } = useCall("notes", "reviews");
  const { readers, paper, exercise } = note;
  const seen = readers.filter((reader) => reader.seen).length;
  const answers = readers.flatMap((reader) =>
    reader.answers.map((said) => ({ ...said, reader: reader.learner, name: reader.display_name })),
  );
  const params = { path: { note: Number(note.id) } };
  return (
    <div className="note" data-note={note.id}>
      <p>
        <strong>Note by {note.by}</strong> <span className="quiet">{moment(note.at)}</span>
      </p>
      <p>{note.text}</p>
      {answers.map((said, i) => (
        <p key={i} className="note-answer">
          <strong>{said.by}</strong> <span className="quiet">{moment(said.at)}</span>
          <br />
          {said.text}{" "}
          <Link to={`/learners/${said.reader}?${new URLSearchParams({ paper, exercise, name: said.name })}`}>
            Their attempts
          </Link>
        </p>
      ))}
      <p className="actions">
        <span className="quiet">
          It reaches {count(readers.length, "learner")}; {seen} {seen === 1 ? "has" : "have"} seen it.
          {note.later && " Whoever comes to the same later gets it, too."}
        </span>
        <Button
          size="small"
          loading={busy}
          onClick={() => void call(() => answer(api.DELETE("/api/notes/{note}", { params })))}
        >
          Take it back
        </Button>
      </p>
      {problem && <ProblemNote problem={problem} />}
    </div>
  );
}
