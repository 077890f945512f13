import { useState } from "react";
import { Link } from "react-router";
import { answer, api, type Schemas } from "../../api/client";
import { Button } from "../../parts/Button";
import { ProblemNote } from "../../parts/ProblemNote";
import { count, moment } from "../../parts/words";
import { AddMember } from "./AddMember";
import type { Rights } from "./CoursePage";
import { MemberForm } from "./MemberForm";
import { Slips, type Slip } from "./Slips";
import { useChange } from "./useChange";

interface Props {
  course: Schemas["CourseDetail"];
  may: Rights;
}

type Member = Schemas["Member"];

/** The people in a course. */
export function Members({ course, may }: Props) {
  const [adds, setAdds] = useState(false);
  const [slips, setSlips] = useState<Slip[] | null>(null);
  const [sought, setSought] = useState("");
  const [group, setGroup] = useState("");
  const { change, problem } = useChange(course.slug);
  const groups = [...new Set(course.members.flatMap((member) => member.group || []))].sort();
  const shown = course.members.filter((m) => found(m, sought) && (!group || m.group === group));
  const unused = course.members.filter((m) => m.role === "learner" && m.one_time_password && !m.left && !m.deactivated);
  const issue = (whose: Schemas["WhosePasswords"]) =>
    void change(async () => {
      const params = { path: { course: course.slug } };
      const issued = await answer(api.POST("/api/courses/{course}/passwords", { params, body: whose }));
      setSlips(issued.map((one) => ({ ...one.account, password: one.password ?? "", until: one.until })));
    });
  return (
    <section>
      <h2>Members</h2>
      <p className="actions">
        {may.manage && (
          <>
            <Button aria-expanded={adds} onClick={() => setAdds(!adds)}>
              Add somebody …
            </Button>
            <Link className="button" to={`/courses/${course.slug}/import`}>
              Import a roster …
            </Link>
            {unused.length > 0 && (
              <Button onClick={() => issue({ unused: true })}>
                New one-time passwords for {count(unused.length, "learner")} who never logged in
              </Button>
            )}
          </>
        )}
      </p>
      {adds && <AddMember course={course.slug} onSlip={(slip) => setSlips([slip])} onClose={() => setAdds(false)} />}
      {slips && <Slips course={course.title} slips={slips} onClose={() => setSlips(null)} />}
      {problem && <ProblemNote problem={problem} />}
      <p className="actions">
        <label>
          Find <input type="search" value={sought} onChange={(event) => setSought(event.target.value)} />
        </label>
        {groups.length > 0 && (
          <label>
            Group{" "}
            <select value={group} onChange={(event) => setGroup(event.target.value)}>
              <option value="">all</option>
              {groups.map((name) => (
                <option key={name}>{name}</option>
              ))}
            </select>
          </label>
        )}
        <span className="quiet">{count(shown.length, "member")}</span>
      </p>
      <div className="people">
        <table>
          <thead>
            <tr>
              <th scope="col">Name</th>
              <th scope="col">Login</th>
              <th scope="col">E-mail</th>
              <th scope="col">Role</th>
              <th scope="col">Group</th>
              <th scope="col">State</th>
              {may.manage && <th scope="col">Change</th>}
            </tr>
          </thead>
          <tbody>
            {shown.map((member) => (
              <Row key={member.name} course={course} member={member} may={may} onIssue={issue} />
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}

function found({ name, display_name, email = "" }: Member, text: string) {
  return `${name} ${display_name} ${email}`.toLowerCase().includes(text.trim().toLowerCase());
}

interface RowProps extends Props {
  member: Member;
  onIssue(whose: Schemas["WhosePasswords"]): void;
}

function Row({ course, member, may, onIssue }: RowProps) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <tr data-left={member.left !== undefined || member.deactivated === true}>
        <th scope="row">
          {member.role === "learner" ? (
            <Link to={`/learners/${member.name}?name=${encodeURIComponent(member.display_name)}`}>
              {member.display_name}
            </Link>
          ) : (
            member.display_name
          )}
        </th>
        <td>{member.name}</td>
        <td>{member.email}</td>
        <td>{member.role}</td>
        <td>{member.group}</td>
        <td>{stateOf(member)}</td>
        {may.manage && (
          <td>
            <Button
              size="small"
              aria-label={`Change … ${member.display_name}`}
              aria-expanded={open}
              onClick={() => setOpen(!open)}
            >
              Change …
            </Button>
          </td>
        )}
      </tr>
      {open && (
        <tr>
          <td colSpan={7}>
            <MemberForm course={course} member={member} onIssue={onIssue} onClose={() => setOpen(false)} />
          </td>
        </tr>
      )}
    </>
  );
}

function stateOf(member: Member) {
  if (member.left) return `left ${moment(member.left)}`;
  if (member.deactivated) return "deactivated";
  if (!member.one_time_password) return "active";
  const until = member.one_time_until;
  if (until && Date.parse(until) < Date.now()) return "one-time password expired";
  return `one-time password${until ? ` until ${moment(until)}` : ""}`;
}
