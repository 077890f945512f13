import { useEffect } from "react";
import { answer, api, type Exercise } from "../../api/client";
import { NoteView } from "../../parts/notes/NoteView";

/** What those who teach wrote in the margin of one's attempts. That they are on the page is told: they are seen. */
export function OwnNotes({ exercise }: { exercise: Exercise }) {
  const { notes = [], latest } = exercise;
  const unseen = notes.filter((note) => !note.readers[0].seen).map((note) => note.id);
  const ids = unseen.join(" ");
  useEffect(() => {
    const tell = () => {
      if (!ids || document.hidden) return;
      void answer(api.PUT("/api/notes/seen", { body: { notes: ids.split(" ") } })).catch(() => {}); // another time
    };
    tell();
    document.addEventListener("visibilitychange", tell);
    return () => document.removeEventListener("visibilitychange", tell);
  }, [ids]);
  return notes.map((note) => <NoteView key={note.id} note={note} reader={note.readers[0]} beside={latest?.id} />);
}
