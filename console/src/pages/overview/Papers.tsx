import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { points } from "../../parts/words";
import { inZone } from "../../parts/zoned";

const states = { open: "Open", overdue: "In its grace period", upcoming: "To come", closed: "Closed" };

/** How far the class is with each paper. */
export function Papers({ of }: { of: Schemas["Overview"] }) {
  return (
    <>
      <h2>Papers</h2>
      <table>
        <thead>
          <tr>
            <th>Paper</th>
            <th>State</th>
            <th>Begun</th>
            <th>All solved</th>
            <th>Solved of tried</th>
            <th>Stuck</th>
            <th>Mean mark</th>
          </tr>
        </thead>
        <tbody>
          {of.papers.map((paper) => (
            <tr key={paper.paper}>
              <td>
                <Link to={`/papers/${paper.paper}/progress?${new URLSearchParams({ course: of.course })}`}>
                  {paper.title}
                </Link>
              </td>
              <td>
                {states[paper.state]}
                {paper.due && paper.state !== "closed" && (
                  <span className="quiet"> until {inZone(paper.due, of.zone)}</span>
                )}
              </td>
              <td>
                <Part part={paper.begun} whole={of.learners} />
              </td>
              <td>
                <Part part={paper.done} whole={of.learners} />
              </td>
              <td>
                <Part part={paper.solved} whole={paper.tried} />
              </td>
              <td>{paper.stuck || ""}</td>
              <td className="whole">{paper.begun > 0 && `${paper.mean} of ${points(paper.points)}`}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

/** A part of a whole, as a bar and in numbers. */
export function Part({ part, whole }: { part: number; whole: number }) {
  if (whole === 0) return null;
  return (
    <span className="fraction">
      <span className="fraction-bar" aria-hidden="true">
        <span style={{ width: `${(100 * part) / whole}%` }} />
      </span>
      {part} of {whole}
    </span>
  );
}
