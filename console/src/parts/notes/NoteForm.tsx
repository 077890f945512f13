import { useState } from "react";
import { answer, api } from "../../api/client";
import { Button } from "../Button";
import { ProblemNote } from "../ProblemNote";
import { useCall } from "../useCall";
import { count } from "../words";

interface Props {
  attempt: string;
  /** To whom: a learner's name, or a group. */
  to: string;
  /** It is written to all attempts that are alike, and can reach later ones. */
  group?: boolean;
  /** What the note is to speak of, at first. */
  quote?: string;
  onWritten?(note: string): void;
  onClose(): void;
}

/** Writes a note on an attempt, or on a group of alike ones. */
export function NoteForm({ attempt, to, group = false, quote: selected = "", onWritten, onClose }: Props) {
  const [text, setText] = useState("");
  const [quote, setQuote] = useState(selected);
  const [later, setLater] = useState(group);
  const [said, setSaid] = useState("");
  const { call, problem, busy } = useCall("notes", "paper");
  async function write() {
    const body = { attempt, text, quote: quote.trim() || undefined, alike: group, later };
    const written = await call(() => answer(api.POST("/api/notes", { body })));
    if (!written) return;
    setText("");
    setSaid(`It reaches ${count(written.learners, "learner")}.`);
    onWritten?.(written.id);
  }
  return (
    <form
      className="course-form note-form"
      aria-label={`Note to ${to}`}
      onSubmit={(event) => {
        event.preventDefault();
        void write();
      }}
    >
      <label>
        Note to {to}
        <textarea
          required
          maxLength={4000}
          rows={3}
          value={text}
          onChange={(event) => setText(event.target.value)}
          // It was asked for by a press, and is what is written in next.
          // eslint-disable-next-line jsx-a11y/no-autofocus
          autoFocus
        />
      </label>
      {group ? (
        <label className="check">
          <input type="checkbox" checked={later} onChange={(event) => setLater(event.target.checked)} /> Also to whoever
          comes to the same result later
        </label>
      ) : (
        <label>
          Of this part
          <input
            value={quote}
            placeholder="all of it; or select a part, or copy it here"
            onChange={(event) => setQuote(event.target.value)}
          />
        </label>
      )}
      <p className="actions">
        <Button type="primary" htmlType="submit" loading={busy} disabled={!text.trim()}>
          Write the note
        </Button>
        <Button onClick={onClose}>Close</Button>
        <span className="quiet" role="status">
          {said}
        </span>
      </p>
      {problem && <ProblemNote problem={problem} />}
    </form>
  );
}

/** What is selected in the text of an attempt; "" for nothing. */
export function selectedIn(element: Element | null) {
  const selection = window.getSelection();
  const inside = selection?.anchorNode && element?.contains(selection.anchorNode);
  return inside ? selection.toString().trim() : "";
}
