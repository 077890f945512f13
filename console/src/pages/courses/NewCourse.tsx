import { useState } from "react";
import { useNavigate } from "react-router";
import { answer, api, problemOf, type Problem } from "../../api/client";
import { Button } from "../../parts/Button";
import { ProblemNote } from "../../parts/ProblemNote";
import { useSession } from "../../session";
import { Zone } from "./Zone";

interface Props {
  /** The course of which it is a copy; none: it is empty. */
  from?: { slug: string; title: string; zone: string };
  onClose(): void;
}

/** Makes a course: an empty one, or with everything of another but its people. */
export function NewCourse({ from, onClose }: Props) {
  const navigate = useNavigate();
  const { reload } = useSession();
  const [title, setTitle] = useState(from?.title ?? "");
  const [name, setName] = useState<string | null>(null); // null: made of the title
  const [zone, setZone] = useState(from?.zone ?? Intl.DateTimeFormat().resolvedOptions().timeZone);
  const [firstDay, setFirstDay] = useState("");
  const [problem, setProblem] = useState<Problem>();
  const slug =
    name ??
    title
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, "-")
      .replace(/^-|-$/g, "")
      .slice(0, 64);
  async function make() {
    try {
      const body = { slug, title, zone };
      if (from) {
        const params = { path: { course: from.slug } };
        const copy = { ...body, ...(firstDay && { first_day: firstDay }) };
        await answer(api.POST("/api/courses/{course}/copies", { params, body: copy }));
      } else {
        await answer(api.POST("/api/courses", { body }));
      }
      await reload(); // one instructs it now
      void navigate(`/courses/${slug}`);
      onClose();
    } catch (error) {
      setProblem(problemOf(error));
    }
  }
  return (
    <form
      className="course-form"
      aria-label={from ? "Copy the course" : "New course"}
      onSubmit={(event) => {
        event.preventDefault();
        void make();
      }}
    >
      <label>
        Title <input value={title} required maxLength={200} onChange={(event) => setTitle(event.target.value)} />
      </label>
      <label>
        Name in addresses{" "}
        <input
          value={slug}
          required
          pattern="[a-z0-9]+(-[a-z0-9]+)*"
          title="Lower-case letters, digits and single hyphens"
          onChange={(event) => setName(event.target.value)}
        />
      </label>
      <Zone value={zone} onChange={setZone} />
      {from && (
        <>
          <label>
            First day <input type="date" value={firstDay} onChange={(event) => setFirstDay(event.target.value)} />
          </label>
          <p className="quiet">
            On this day its first paper opens; all other times move by as many days, and keep the time of day. Without
            it the times stay.
          </p>
        </>
      )}
      <p className="actions">
        <Button type="primary" htmlType="submit" disabled={!title.trim() || !slug}>
          {from ? "Copy it" : "Make it"}
        </Button>
        <Button onClick={onClose}>Leave it</Button>
      </p>
      {problem && <ProblemNote problem={problem} />}
    </form>
  );
}
