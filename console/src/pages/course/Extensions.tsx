import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api, type Schemas } from "../../api/client";
import { Button } from "../../parts/Button";
import { ProblemNote } from "../../parts/ProblemNote";
import { Waiting } from "../../parts/Waiting";
import { count } from "../../parts/words";
import { inZone } from "../../parts/zoned";
import { ZonedTime } from "../../parts/ZonedTime";
import type { Rights } from "./CoursePage";
import { useChange } from "./useChange";

interface Props {
  course: Schemas["CourseDetail"];
  paper: Schemas["CoursePaper"];
  may: Rights;
}

/** Who has more time for a paper, and why. */
export function Extensions({ course, paper, may }: Props) {
  const path = { course: course.slug, paper: paper.paper };
  const extensions = useQuery({
    queryKey: ["extensions", course.slug, paper.paper],
    queryFn: () => answer(api.GET("/api/courses/{course}/papers/{paper}/extensions", { params: { path } })),
  });
  const { change, problem } = useChange(course.slug);
  const takeBack = ({ learner, group }: Schemas["Extension"]) => {
    const params = { path, query: group ? { group } : { learner } };
    void change(() => answer(api.DELETE("/api/courses/{course}/papers/{paper}/extensions", { params })));
  };
  return (
    <div className="extensions">
      <Waiting query={extensions}>
        {(list) => (
          <ul>
            {list.length === 0 && <li className="quiet">Nobody has more time.</li>}
            {list.map((e) => (
              <li key={e.learner ?? `group ${e.group}`}>
                <strong>{e.group ? `Group ${e.group}` : e.display_name}</strong>
                {e.due && `, until ${inZone(e.due, course.zone)}`}
                {e.minutes ? `, ${count(e.minutes, "minute")} more` : ""}: {e.reason}{" "}
                <span className="quiet">given by {e.by}</span>{" "}
                {may.instruct && (
                  <Button size="small" onClick={() => takeBack(e)}>
                    Take back
                  </Button>
                )}
              </li>
            ))}
          </ul>
        )}
      </Waiting>
      {problem && <ProblemNote problem={problem} />}
      {may.instruct && <NewExtension course={course} paper={paper} />}
    </div>
  );
}

function NewExtension({ course, paper }: Omit<Props, "may">) {
  const learners = course.members.filter((member) => member.role === "learner" && !member.left);
  const groups = [...new Set(learners.flatMap((learner) => learner.group || []))].sort();
  const [whom, setWhom] = useState("");
  const [due, setDue] = useState(paper.due);
  const [minutes, setMinutes] = useState(0);
  const [reason, setReason] = useState("");
  const { change, problem, busy } = useChange(course.slug);
  async function extend() {
    const [kind, name] = [whom.slice(0, 1), whom.slice(1)];
    const body = { ...(kind === "g" ? { group: name } : { learner: name }), due, minutes, reason };
    if (due === paper.due) delete body.due;
    const params = { path: { course: course.slug, paper: paper.paper } };
    if (await change(() => answer(api.PUT("/api/courses/{course}/papers/{paper}/extensions", { params, body })))) {
      setWhom("");
      setReason("");
    }
  }
  return (
    <form
      className="course-form"
      aria-label={`Extension of ${paper.title}`}
      onSubmit={(event) => {
        event.preventDefault();
        void extend();
      }}
    >
      <label>
        For{" "}
        <select required value={whom} onChange={(event) => setWhom(event.target.value)}>
          <option value="">Choose a learner or a group</option>
          {groups.map((group) => (
            <option key={group} value={`g${group}`}>
              Group {group}
            </option>
          ))}
          {learners.map((learner) => (
            <option key={learner.name} value={`l${learner.name}`}>
              {learner.display_name}
            </option>
          ))}
        </select>
      </label>
      <ZonedTime label="Until" value={due} zone={course.zone} end onChange={setDue} />
      {paper.rules.examination && (
        <label>
          More minutes{" "}
          <input
            type="number"
            min={0}
            max={1440}
            value={minutes}
            onChange={(event) => setMinutes(Number(event.target.value))}
          />
        </label>
      )}
      <label>
        Reason <input required maxLength={1000} value={reason} onChange={(event) => setReason(event.target.value)} />
      </label>
      <p className="actions">
        <Button type="primary" htmlType="submit" loading={busy}>
          Give more time
        </Button>
      </p>
      {problem && <ProblemNote problem={problem} />}
    </form>
  );
}
