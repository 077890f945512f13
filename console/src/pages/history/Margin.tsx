import { useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { answer, api, type Entry } from "../../api/client";
import { Button } from "../../parts/Button";
import { MarkForm } from "../../parts/notes/MarkForm";
import { NoteForm, selectedIn } from "../../parts/notes/NoteForm";
import { NoteView } from "../../parts/notes/NoteView";
import { useSession } from "../../session";

/** The margin of a learner's attempt, for those who teach: its notes, and ways to write one and to mark. */
export function Margin({ attempt }: { attempt: Entry }) {
  const { account } = useSession().session!;
  const place = useRef<HTMLDivElement>(null);
  const [open, setOpen] = useState<"mark" | "note" | null>(null);
  const [quote, setQuote] = useState("");
  const staff = account.role !== "learner" && attempt.learner !== account.name;
  const query = { attempt: Number(attempt.id) };
  const notes = useQuery({
    queryKey: ["notes", attempt.id],
    queryFn: () => answer(api.GET("/api/notes", { params: { query } })),
  });
  const { paper = "", exercise = "", learner, display_name: name = learner } = attempt;
  return (
    <div ref={place} className="margin" key={attempt.id}>
      {notes.data?.notes.map((note) => {
        const reader = note.readers.find((one) => one.attempts.includes(attempt.id));
        return reader && <NoteView key={note.id} note={note} reader={reader} staff={staff} />;
      })}
      {staff && (
        <p className="actions">
          <Button
            size="small"
            aria-expanded={open === "note"}
            onMouseDown={() => setQuote(selectedIn(place.current?.parentElement ?? null))}
            onClick={() => setOpen(open === "note" ? null : "note")}
          >
            Write a note …
          </Button>
          {account.role === "instructor" && (
            <Button
              size="small"
              aria-expanded={open === "mark"}
              onClick={() => setOpen(open === "mark" ? null : "mark")}
            >
              Mark by hand …
            </Button>
          )}
        </p>
      )}
      {open === "note" && <NoteForm attempt={attempt.id} to={name} quote={quote} onClose={() => setOpen(null)} />}
      {open === "mark" && <MarkForm of={{ paper, exercise, learner }} onClose={() => setOpen(null)} />}
    </div>
  );
}
