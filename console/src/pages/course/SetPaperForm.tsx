import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api, type Schemas } from "../../api/client";
import { Button } from "../../parts/Button";
import { ProblemNote } from "../../parts/ProblemNote";
import { ZonedTime } from "../../parts/ZonedTime";
import { clocksOf } from "../../parts/zoned";
import { RulesFields } from "./RulesFields";
import { useChange } from "./useChange";

interface Props {
  course: Schemas["CourseDetail"];
  /** The paper as it is set; none: one is chosen and set. */
  paper?: Schemas["CoursePaper"];
  onClose(): void;
}

/** Sets a paper for a course: its times, and how marks come of attempts. */
export function SetPaperForm({ course, paper, onClose }: Props) {
  const [slug, setSlug] = useState(paper?.paper ?? "");
  const [opens, setOpens] = useState(paper?.opens);
  const [due, setDue] = useState(paper?.due);
  const [rules, setRules] = useState(paper?.rules ?? {});
  const { change, problem, busy } = useChange(course.slug);
  const params = { path: { course: course.slug, paper: slug } };
  async function save() {
    const unbounded: ("opens" | "due")[] = [];
    if (!opens) unbounded.push("opens");
    if (!due) unbounded.push("due");
    const body = { opens, due, unbounded, rules };
    if (await change(() => answer(api.PUT("/api/courses/{course}/papers/{paper}", { params, body })))) onClose();
  }
  async function unset() {
    if (await change(() => answer(api.DELETE("/api/courses/{course}/papers/{paper}", { params })))) onClose();
  }
  return (
    <form
      className="course-form set-paper"
      aria-label={paper ? `Times and rules of ${paper.title}` : "Set a paper"}
      onSubmit={(event) => {
        event.preventDefault();
        void save();
      }}
    >
      {!paper && <ChoosePaper course={course} value={slug} onChange={setSlug} />}
      <ZonedTime label="Opens" value={opens} zone={course.zone} onChange={setOpens} />
      <ZonedTime label="Due" value={due} zone={course.zone} end onChange={setDue} />
      <p className="quiet">Times are {clocksOf(course.zone)}. Left empty, there is no bound.</p>
      <RulesFields rules={rules} onChange={setRules} />
      <p className="actions">
        <Button type="primary" htmlType="submit" loading={busy} disabled={!slug}>
          {paper ? "Save" : "Set it"}
        </Button>
        <Button onClick={onClose}>Leave it</Button>
        {paper && (
          <Button className="apart" onClick={() => void unset()}>
            Take it out of the course
          </Button>
        )}
      </p>
      {paper && <p className="quiet">Where marks follow otherwise from what is changed, they are computed again.</p>}
      {problem && <ProblemNote problem={problem} />}
    </form>
  );
}

interface ChooseProps {
  course: Schemas["CourseDetail"];
  value: string;
  onChange(slug: string): void;
}

function ChoosePaper({ course, value, onChange }: ChooseProps) {
  const papers = useQuery({ queryKey: ["papers"], queryFn: () => answer(api.GET("/api/papers")) });
  const set = new Set(course.papers.map((paper) => paper.paper));
  return (
    <label>
      Paper{" "}
      <select required value={value} onChange={(event) => onChange(event.target.value)}>
        <option value="">Choose one</option>
        {papers.data
          ?.filter((paper) => !set.has(paper.slug) && !paper.unpublished)
          .map((paper) => (
            <option key={paper.slug} value={paper.slug}>
              {paper.title}
            </option>
          ))}
      </select>
    </label>
  );
}
