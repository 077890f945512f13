import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { answer, api, type Schemas } from "../../api/client";
import { Button } from "../../parts/Button";
import { FindingNote } from "../../parts/FindingNote";
import { NoteForm } from "../../parts/notes/NoteForm";
import { NoteSummary } from "../../parts/notes/NoteSummary";
import { ProblemNote } from "../../parts/ProblemNote";
import { SqlView } from "../../parts/sql/SqlView";
import { count, moment, outcomeWord } from "../../parts/words";

type Class = Schemas["Class"];

/** Wrong attempts that are alike, each group with one as an example and what was said of it. */
export function AlikeGroups({ of, course }: { of: Class; course?: string }) {
  const { paper, exercise } = of;
  const notes = useQuery({
    queryKey: ["notes", paper, exercise, course],
    queryFn: () => answer(api.GET("/api/notes", { params: { query: { paper, exercise, course } } })),
  });
  return (
    <>
      <h2>Alike answers</h2>
      <p className="quiet">
        Wrong attempts with the same result, or with the same text but for names, layout and literals.
      </p>
      {of.alike.length === 0 && <p>No two wrong attempts are alike.</p>}
      <ol className="alike">
        {of.alike.map((group) => (
          <AlikeGroup key={group.example.attempt} of={of} group={group} notes={notes.data?.notes ?? []} />
        ))}
      </ol>
    </>
  );
}

interface Props {
  of: Class;
  group: Schemas["AlikeAttempts"];
  notes: Schemas["Note"][];
}

function AlikeGroup({ of, group, notes }: Props) {
  const { attempts, learners, example } = group;
  const [writes, setWrites] = useState(false);
  const who = `${count(attempts, "attempt")} of ${count(learners, "learner")}`;
  return (
    <li className="entry">
      <div className="entry-head">
        <p>
          <strong>{who}</strong>
        </p>
        <p className="quiet">
          {outcomeWord(example.outcome)}. For example <Link to={workOf(of, example)}>{example.display_name}</Link>,{" "}
          {moment(example.at)}
        </p>
        <p>
          <Button size="small" aria-expanded={writes} onClick={() => setWrites(!writes)}>
            Write them a note …
          </Button>
        </p>
      </div>
      <div className="entry-text">
        <SqlView label="Query" text={example.sql} />
        {example.error && <ProblemNote problem={example.error} />}
        {example.findings.map((finding, i) => (
          <FindingNote key={i} finding={finding} />
        ))}
        {notes
          .filter((note) => note.readers.some((reader) => reader.attempts.includes(example.attempt)))
          .map((note) => (
            <NoteSummary key={note.id} note={note} />
          ))}
        {writes && <NoteForm attempt={example.attempt} to={who} group onClose={() => setWrites(false)} />}
      </div>
    </li>
  );
}

/** Where a learner's work on the exercise is shown. */
function workOf({ paper, exercise }: Class, { learner, display_name: name }: Schemas["ShownAttempt"]) {
  return `/learners/${learner}?${new URLSearchParams({ paper, exercise, name })}`;
}
