import { useQuery } from "@tanstack/react-query";
import { Link, useParams, useSearchParams } from "react-router";
import { answer, api, type Schemas } from "../../api/client";
import { useTitle } from "../../parts/useTitle";
import { Waiting } from "../../parts/Waiting";
import { count, points } from "../../parts/words";

type Progress = Schemas["Progress"];

/** The marks of a class for a paper, and the files in which they are handed on. */
export function MarksPage() {
  const { paper = "" } = useParams();
  const [search] = useSearchParams();
  const course = search.get("course") ?? undefined;
  useTitle(`Marks, ${paper}`);
  const marks = useQuery({
    queryKey: ["progress", "marks", paper, course],
    queryFn: () => answer(api.GET("/api/papers/{paper}/progress", { params: { path: { paper }, query: { course } } })),
  });
  const file = (query: Record<string, string>) =>
    `/api/papers/${paper}/marks?${new URLSearchParams({ ...query, ...(course && { course }) })}`;
  return (
    <section className="page full">
      <Waiting query={marks} page="The marks">
        {(of) => (
          <>
            <h1>Marks: {of.title}</h1>
            <p>
              {count(of.learners.length, "learner")}, {points(of.points)}.{" "}
              <Link to={`/papers/${paper}/progress${course ? `?${new URLSearchParams({ course })}` : ""}`}>
                Back to the grid
              </Link>
            </p>
            <p className="actions">
              <span>As a file:</span>
              <a href={file({ format: "xlsx" })} download={`${paper}-marks.xlsx`}>
                workbook (XLSX)
              </a>
              <a href={file({ format: "csv" })} download={`${paper}-marks.csv`}>
                CSV
              </a>
              <a href={file({ format: "csv", attempts: "true" })} download={`${paper}-attempts.csv`}>
                every attempt as CSV
              </a>
              <a href={file({ format: "json", attempts: "true" })} download={`${paper}-marks.json`}>
                JSON with every attempt
              </a>
            </p>
            <MarksTable of={of} />
          </>
        )}
      </Waiting>
    </section>
  );
}

function MarksTable({ of }: { of: Progress }) {
  const several = new Set(of.learners.map((learner) => learner.course)).size > 1;
  const byHand = of.learners.some((learner) => learner.cells.some((cell) => cell.by_hand));
  return (
    <>
      {/* It may be wider than the window: then it is scrolled, also by keyboard. */}
      {/* eslint-disable-next-line jsx-a11y/no-noninteractive-tabindex */}
      <div className="marks" tabIndex={0} role="region" aria-label="Marks">
        <table>
          <thead>
            <tr>
              <th scope="col">Learner</th>
              <th scope="col">Group</th>
              {several && <th scope="col">Course</th>}
              {of.exercises.map((exercise) => (
                <th key={exercise.slug} scope="col" className="amount" title={exercise.title}>
                  {exercise.number}. <small>of {exercise.points}</small>
                </th>
              ))}
              <th scope="col" className="amount">
                Sum <small>of {of.points}</small>
              </th>
            </tr>
          </thead>
          <tbody>
            {of.learners.map((learner) => (
              <tr key={`${learner.course} ${learner.name}`}>
                <th scope="row">{learner.display_name}</th>
                <td>{learner.group}</td>
                {several && <td>{learner.course}</td>}
                {learner.cells.map((cell, i) => (
                  <td key={of.exercises[i].slug} className="amount">
                    {cell.by_hand ? <em>{cell.mark}*</em> : cell.attempts > 0 && cell.mark}
                  </td>
                ))}
                <td className="amount">
                  <strong>{learner.mark}</strong>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {byHand && <p className="quiet">* Set by hand.</p>}
    </>
  );
}
