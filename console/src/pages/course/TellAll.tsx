import { useState } from "react";
import { answer, api } from "../../api/client";
import { Button } from "../../parts/Button";
import { ProblemNote } from "../../parts/ProblemNote";
import { useChange } from "./useChange";

interface Props {
  course: string;
  paper: string;
  onClose(): void;
}

/** Says something to all who work on a paper: it appears on their pages at once. */
export function TellAll({ course, paper, onClose }: Props) {
  const [text, setText] = useState("");
  const [said, setSaid] = useState("");
  const { change, problem, busy } = useChange(course);
  async function tell() {
    const params = { path: { course, paper } };
    if (
      await change(() => answer(api.POST("/api/courses/{course}/papers/{paper}/notices", { params, body: { text } })))
    ) {
      setSaid(`Said to all: ${text}`);
      setText("");
    }
  }
  return (
    <form
      className="course-form"
      aria-label="A word to all"
      onSubmit={(event) => {
        event.preventDefault();
        void tell();
      }}
    >
      <label>
        To all learners{" "}
        <textarea required maxLength={1000} rows={2} value={text} onChange={(e) => setText(e.target.value)} />
      </label>
      <p className="quiet" role="status">
        {said || "It appears on the pages of all who work on the paper, at once, and stays there."}
      </p>
      <p className="actions">
        <Button type="primary" htmlType="submit" loading={busy} disabled={!text.trim()}>
          Say it
        </Button>
        <Button onClick={onClose}>Close</Button>
      </p>
      {problem && <ProblemNote problem={problem} />}
    </form>
  );
}
