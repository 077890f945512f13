import { useState } from "react";
import { Link } from "react-router";
import { answer, api, type Schemas } from "../../api/client";
import { Button } from "../../parts/Button";
import { ProblemNote } from "../../parts/ProblemNote";
import { inZone } from "../../parts/zoned";
import { Candidates } from "./Candidates";
import type { Rights } from "./CoursePage";
import { Extensions } from "./Extensions";
import { rulesInWords } from "./rules";
import { SetPaperForm } from "./SetPaperForm";
import { TellAll } from "./TellAll";
import { useChange } from "./useChange";

interface Props {
  course: Schemas["CourseDetail"];
  may: Rights;
}

/** The papers of a course, in time: those that are open, those to come, and those that are closed. */
export function SetPapers({ course, may }: Props) {
  const [sets, setSets] = useState(false);
  return (
    <section>
      <h2>Papers</h2>
      {course.papers.length === 0 && <p className="quiet">No paper is set for the course yet.</p>}
      <ul className="papers">
        {course.papers.map((paper) => (
          <SetPaper key={paper.paper} course={course} paper={paper} may={may} />
        ))}
      </ul>
      {may.instruct &&
        (sets ? (
          <SetPaperForm course={course} onClose={() => setSets(false)} />
        ) : (
          <p>
            <Button onClick={() => setSets(true)}>Set a paper …</Button>
          </p>
        ))}
    </section>
  );
}

type Open = "change" | "extensions" | "tell" | "candidates" | null;

function SetPaper({ course, paper, may }: Props & { paper: Schemas["CoursePaper"] }) {
  const [open, setOpen] = useState<Open>(null);
  const { change, problem } = useChange(course.slug);
  const params = { path: { course: course.slug, paper: paper.paper } };
  const toggle = (which: Open) => setOpen(open === which ? null : which);
  const release = (released: boolean) =>
    void change(() => answer(api.PUT("/api/courses/{course}/papers/{paper}/release", { params, body: { released } })));
  const words = rulesInWords(paper, course.zone);
  const withheld = paper.rules.tell !== undefined && paper.rules.tell !== "at-once";
  return (
    <li>
      <h3>
        <Link to={`/papers/${paper.paper}`}>{paper.title}</Link>
      </h3>
      <p>
        <strong>{states[paper.state]}</strong> {times(paper, course.zone)}
      </p>
      {words.length > 0 && <p className="quiet">{words.join(" ")}</p>}
      <p className="actions">
        <Link to={`/papers/${paper.paper}/progress?course=${course.slug}`}>Learner progress</Link>
        <Link to={`/marking?${new URLSearchParams({ course: course.slug, paper: paper.paper })}`}>Marking</Link>
        {may.instruct && (
          <Button size="small" aria-expanded={open === "change"} onClick={() => toggle("change")}>
            Times and rules …
          </Button>
        )}
        <Button size="small" aria-expanded={open === "extensions"} onClick={() => toggle("extensions")}>
          Extensions{paper.extensions > 0 && ` (${paper.extensions})`} …
        </Button>
        {paper.rules.examination && (
          <Button size="small" aria-expanded={open === "candidates"} onClick={() => toggle("candidates")}>
            Who has begun …
          </Button>
        )}
        {may.instruct && withheld && (
          <Button size="small" onClick={() => release(!paper.released)}>
            {paper.released ? "Take back the release" : "Release the marks"}
          </Button>
        )}
        {may.instruct && (
          <Button size="small" aria-expanded={open === "tell"} onClick={() => toggle("tell")}>
            A word to all …
          </Button>
        )}
      </p>
      {open === "change" && <SetPaperForm course={course} paper={paper} onClose={() => setOpen(null)} />}
      {open === "extensions" && <Extensions course={course} paper={paper} may={may} />}
      {open === "candidates" && <Candidates course={course} paper={paper.paper} />}
      {open === "tell" && <TellAll course={course.slug} paper={paper.paper} onClose={() => setOpen(null)} />}
      {problem && <ProblemNote problem={problem} />}
    </li>
  );
}

const states = { open: "Open.", overdue: "In its grace period.", upcoming: "To come.", closed: "Closed." };

function times({ opens, due, closes, state }: Schemas["CoursePaper"], zone: string) {
  const all = [];
  if (opens) all.push(`${state === "upcoming" ? "Opens" : "Opened"} ${inZone(opens, zone)}.`);
  if (due) all.push(`Due ${inZone(due, zone)}.`);
  if (closes && closes !== due) all.push(`Closes ${inZone(closes, zone)}.`);
  return all.join(" ") || "No times: it is open until it is taken out.";
}
