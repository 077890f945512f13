import { useState } from "react";
import { answer, api, type Schemas } from "../../api/client";
import { Button } from "../../parts/Button";
import { ProblemNote } from "../../parts/ProblemNote";
import { PersonFields } from "./PersonFields";
import { Sessions } from "./Sessions";
import { useChange } from "./useChange";

interface Props {
  course: Schemas["CourseDetail"];
  member: Schemas["Member"];
  onIssue(whose: Schemas["WhosePasswords"]): void;
  onClose(): void;
}

/** Changes what a member is, and what their account may do. */
export function MemberForm({ course, member, onIssue, onClose }: Props) {
  const { name, display_name, email = "", role, group = "" } = member;
  const [person, setPerson] = useState({ display_name, email, role, group });
  const [more, setMore] = useState<"sessions" | "anonymise" | null>(null);
  const { change, problem, busy } = useChange(course.slug);
  const inCourse = { path: { course: course.slug, account: name } };
  const account = { path: { account: name } };
  const save = () =>
    void change(() => answer(api.PUT("/api/courses/{course}/members/{account}", { params: inCourse, body: person })));
  const leave = () =>
    void change(() => answer(api.DELETE("/api/courses/{course}/members/{account}", { params: inCourse })));
  const activate = (active: boolean) =>
    void change(() => answer(api.PUT("/api/accounts/{account}/active", { params: account, body: { active } })));
  const anonymise = () => void change(() => answer(api.POST("/api/accounts/{account}/anonymous", { params: account })));
  return (
    <form
      className="course-form"
      aria-label={`Change ${display_name}`}
      onSubmit={(event) => {
        event.preventDefault();
        save();
      }}
    >
      <PersonFields person={person} onChange={setPerson} />
      <p className="actions">
        <Button type="primary" htmlType="submit" loading={busy}>
          {member.left ? "Save, and take back into the course" : "Save"}
        </Button>
        <Button onClick={onClose}>Close</Button>
      </p>
      <p className="actions">
        {role === "learner" && !member.left && !member.deactivated && (
          <Button size="small" onClick={() => onIssue({ learners: [name] })}>
            New one-time password
          </Button>
        )}
        <Button
          size="small"
          aria-expanded={more === "sessions"}
          onClick={() => setMore(more === "sessions" ? null : "sessions")}
        >
          Sessions …
        </Button>
        {!member.left && (
          <Button size="small" onClick={leave}>
            Has left the course
          </Button>
        )}
        <Button size="small" onClick={() => activate(member.deactivated === true)}>
          {member.deactivated ? "Let log in again" : "Let log in no longer"}
        </Button>
        <a href={`/api/accounts/${name}/file?format=html`} download={`${name}.html`}>
          All that is stored, to read
        </a>
        <a href={`/api/accounts/${name}/file`} download={`${name}.json`}>
          as JSON
        </a>
        {member.deactivated && (
          <Button size="small" aria-expanded={more === "anonymise"} onClick={() => setMore("anonymise")}>
            Make anonymous …
          </Button>
        )}
      </p>
      {more === "sessions" && <Sessions account={name} />}
      {more === "anonymise" && (
        <p className="actions">
          Nothing will say any more who {display_name} was. Attempts and marks stay, without a name. This cannot be
          taken back.
          <Button size="small" onClick={anonymise}>
            Make anonymous for good
          </Button>
          <Button size="small" onClick={() => setMore(null)}>
            Leave it
          </Button>
        </p>
      )}
      {problem && <ProblemNote problem={problem} />}
    </form>
  );
}
