import type { Schemas } from "../../api/client";
import { count } from "../../parts/words";
import { kinds } from "./changes";

type Publication = Schemas["Publication"];
type What = Schemas["ExerciseChange"]["what"][number];

const words: Record<What, string> = {
  new: "new",
  removed: "taken out",
  title: "title",
  task: "task",
  answers: "accepted answers",
  rules: "rules",
  points: "points",
  number: "number",
};

/** What publishing changes, exercise by exercise, and who is concerned. */
export function WhatChanges({ would }: { would: Publication }) {
  const { exercises, courses, sections, was, is, first } = would;
  if (was === is) return <p>There is nothing to publish: the paper is as learners see it.</p>;
  const around = sections.filter((s) => (s.kind === "front" ? !first : !exercises.some((e) => e.title === s.title)));
  return (
    <>
      {first && <p>The paper was never published. Learners see it once it is set for their course.</p>}
      {exercises.length > 0 && (
        <div className="rows" role="group" aria-label="Exercises that change" tabIndex={0}>
          <table>
            <thead>
              <tr>
                <th scope="col">Exercise</th>
                <th scope="col">What changes</th>
                <th scope="col">Attempts made at it</th>
              </tr>
            </thead>
            <tbody>
              {exercises.map((e) => (
                <tr key={e.slug}>
                  <td>{e.title}</td>
                  <td>{e.what.map((what) => words[what]).join(", ")}</td>
                  <td>{made(e)}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      {around.length > 0 && (
        <p>
          Besides:{" "}
          {around
            .map((s) => (s.kind === "front" ? kinds.front : `${s.title || "the beginning"} (${kinds[s.kind]})`))
            .join(", ")}
          .
        </p>
      )}
      {courses.length === 0 && !first && <p>It is set for no course: no learner sees it.</p>}
      {courses.map((course) => (
        <p key={course.slug}>
          {course.title}: {count(course.learners, "learner")};{" "}
          {course.open ? "the paper has opened there, and changes at once." : "the paper has not opened there yet."}
        </p>
      ))}
    </>
  );
}

/** What was made of an exercise so far, and what becomes of it. */
function made({ attempts, learners, what }: Schemas["ExerciseChange"]) {
  if (!attempts) return "none";
  const said = `${count(attempts, "attempt")} by ${count(learners, "learner")}`;
  if (what.includes("removed")) return `${said}: they stay in the history, and count no more`;
  if (what.some((w) => w === "answers" || w === "rules" || w === "points"))
    return `${said}: they keep the marks that they have`;
  return said;
}
