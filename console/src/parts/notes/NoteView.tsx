import { useState } from "react";
import { answer, api, type Schemas } from "../../api/client";
import { Button } from "../Button";
import { ProblemNote } from "../ProblemNote";
import { useCall } from "../useCall";
import { moment } from "../words";

interface Props {
  note: Schemas["Note"];
  /** Whose thread is shown. */
  reader: Schemas["NoteReader"];
  /** The attempt beside which it stands; it says when it speaks of another. */
  beside?: string;
  /** Somebody who teaches reads it: they see who has seen it, and take it back. */
  staff?: boolean;
}

/** A note as it stands in the margin: who wrote it and when, what it speaks of, and what was answered. */
export function NoteView({ note, reader, beside, staff = false }: Props) {
  const { call, problem, busy } = useCall("paper", "notes");
  const elsewhere = beside !== undefined && !reader.attempts.includes(beside);
  const params = { path: { note: Number(note.id) } };
  const withdraw = () => void call(() => answer(api.DELETE("/api/notes/{note}", { params })));
  return (
    <div className="note" data-note={note.id}>
      <p className="note-by">
        <strong>Note by {note.by}</strong>{" "}
        <span className="quiet">
          {moment(note.at)}
          {elsewhere && `, on the attempt of ${moment(reader.at)}`}
        </span>
      </p>
      {note.quote && (
        <p>
          <q className="quoted">{note.quote}</q>
        </p>
      )}
      <p>{note.text}</p>
      {reader.answers.map((said, i) => (
        <p key={i} className="note-answer">
          <strong>{said.by}</strong> <span className="quiet">{moment(said.at)}</span>
          <br />
          {said.text}
        </p>
      ))}
      {staff && (
        <p className="quiet">
          {reader.seen ? `Seen ${moment(reader.seen)}.` : "Not seen yet."}
          {note.readers.length > 1 && ` It reaches ${note.readers.length} learners.`}
          {note.later && " Whoever comes to the same later gets it, too."}
        </p>
      )}
      <AnswerNote note={note} learner={staff ? reader.learner : undefined}>
        {staff && (
          <Button size="small" loading={busy} onClick={withdraw}>
            Take the note back
          </Button>
        )}
      </AnswerNote>
      {problem && <ProblemNote problem={problem} />}
    </div>
  );
}

interface AnswerProps {
  note: Schemas["Note"];
  learner?: string;
  children?: React.ReactNode;
}

/** Answers a note, in a form that opens beneath it. */
function AnswerNote({ note, learner, children }: AnswerProps) {
  const [text, setText] = useState<string | null>(null);
  const { call, problem, busy } = useCall("paper", "notes", "reviews");
  async function send() {
    const params = { path: { note: Number(note.id) } };
    const body = { text: text!, learner };
    const sent = () => answer(api.POST("/api/notes/{note}/answers", { params, body })).then(() => true);
    if (await call(sent)) setText(null);
  }
  if (text === null)
    return (
      <p className="actions">
        <Button size="small" onClick={() => setText("")}>
          Answer …
        </Button>
        {children}
      </p>
    );
  return (
    <form
      aria-label={`Answer the note by ${note.by}`}
      onSubmit={(event) => {
        event.preventDefault();
        void send();
      }}
    >
      <label>
        Answer
        <textarea required maxLength={4000} rows={2} value={text} onChange={(event) => setText(event.target.value)} />
      </label>
      <p className="actions">
        <Button size="small" type="primary" htmlType="submit" loading={busy} disabled={!text.trim()}>
          Send
        </Button>
        <Button size="small" onClick={() => setText(null)}>
          Leave it
        </Button>
      </p>
      {problem && <ProblemNote problem={problem} />}
    </form>
  );
}
