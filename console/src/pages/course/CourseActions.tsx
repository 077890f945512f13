import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { answer, api, type Schemas } from "../../api/client";
import { Button } from "../../parts/Button";
import { ProblemNote } from "../../parts/ProblemNote";
import { NewCourse } from "../courses/NewCourse";
import { Zone } from "../courses/Zone";
import type { Rights } from "./CoursePage";
import { useChange } from "./useChange";

interface Props {
  course: Schemas["CourseDetail"];
  may: Rights;
}

/** What is done with a course as a whole. */
export function CourseActions({ course, may }: Props) {
  const [form, setForm] = useState<"change" | "copy" | "delete" | null>(null);
  const { change, problem } = useChange(course.slug);
  const navigate = useNavigate();
  const params = { path: { course: course.slug } };
  const archive = (archived: boolean) =>
    void change(() => answer(api.PUT("/api/courses/{course}/archived", { params, body: { archived } })));
  async function remove() {
    if (await change(() => answer(api.DELETE("/api/courses/{course}", { params })))) void navigate("/courses");
  }
  const toggle = (which: typeof form) => setForm(form === which ? null : which);
  return (
    <>
      <p className="actions">
        {may.manage && (
          <>
            <Button size="small" aria-expanded={form === "change"} onClick={() => toggle("change")}>
              Title and time zone …
            </Button>
            <Button size="small" aria-expanded={form === "copy"} onClick={() => toggle("copy")}>
              Copy for another term …
            </Button>
            <Button size="small" onClick={() => archive(true)}>
              Archive
            </Button>
            <Button size="small" aria-expanded={form === "delete"} onClick={() => toggle("delete")}>
              Delete …
            </Button>
            <Link to={`/log?course=${course.slug}`}>Log</Link>
          </>
        )}
        {may.unarchive && <Button onClick={() => archive(false)}>Take it out of the archive</Button>}
      </p>
      {form === "change" && <ChangeForm course={course} onClose={() => setForm(null)} />}
      {form === "copy" && <NewCourse from={course} onClose={() => setForm(null)} />}
      {form === "delete" && (
        <p className="actions">
          A course in which nobody has worked is deleted with its list of members. Any other can be archived.
          <Button size="small" onClick={() => void remove()}>
            Delete it
          </Button>
          <Button size="small" onClick={() => setForm(null)}>
            Leave it
          </Button>
        </p>
      )}
      {problem && <ProblemNote problem={problem} />}
    </>
  );
}

function ChangeForm({ course, onClose }: { course: Schemas["CourseDetail"]; onClose(): void }) {
  const [title, setTitle] = useState(course.title);
  const [zone, setZone] = useState(course.zone);
  const { change, problem, busy } = useChange(course.slug);
  async function save() {
    const call = () =>
      answer(api.PUT("/api/courses/{course}", { params: { path: { course: course.slug } }, body: { title, zone } }));
    if (await change(call)) onClose();
  }
  return (
    <form
      className="course-form"
      aria-label="Title and time zone"
      onSubmit={(event) => {
        event.preventDefault();
        void save();
      }}
    >
      <label>
        Title <input value={title} required maxLength={200} onChange={(event) => setTitle(event.target.value)} />
      </label>
      <Zone value={zone} onChange={setZone} />
      <p className="quiet">In another zone all times stay what they are, and are shown by other clocks.</p>
      <p className="actions">
        <Button type="primary" htmlType="submit" loading={busy}>
          Save
        </Button>
        <Button onClick={onClose}>Leave it</Button>
      </p>
      {problem && <ProblemNote problem={problem} />}
    </form>
  );
}
