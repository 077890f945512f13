import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { answer, api, type Schemas } from "../../api/client";
import { Waiting } from "../../parts/Waiting";
import { count, moment, outcomeWord, points } from "../../parts/words";

/** One's own marks, paper by paper. */
export function OwnMarks() {
  const marks = useQuery({ queryKey: ["marks"], queryFn: () => answer(api.GET("/api/marks")) });
  return (
    <details className="own-marks">
      <summary>My marks</summary>
      <Waiting query={marks}>
        {(papers) => (
          <>
            {papers.length === 0 && <p className="quiet">No paper has opened for you yet.</p>}
            {papers.map((paper) => (
              <PaperMarks key={paper.summary.slug} paper={paper} />
            ))}
          </>
        )}
      </Waiting>
    </details>
  );
}

function PaperMarks({ paper: { summary, exercises } }: { paper: Schemas["PaperMarks"] }) {
  return (
    <div className="rows own-marks-rows">
      <table>
        <caption>
          {summary.title}: {summary.untold ? "marks are told later" : `${summary.mark} of ${points(summary.points)}`}
        </caption>
        <thead>
          <tr>
            <th scope="col">Exercise</th>
            <th scope="col">State</th>
            <th scope="col">Mark</th>
            <th scope="col">Attempts</th>
          </tr>
        </thead>
        <tbody>
          {exercises.map((e) => (
            <tr key={e.slug}>
              <td>
                <Link to={`/papers/${summary.slug}#${e.slug}`}>
                  {e.number}. {e.title}
                </Link>
              </td>
              <td>{summary.untold ? (e.attempts > 0 ? "Submitted" : "Not submitted") : stateOf(e)}</td>
              <td className="number-cell">{summary.untold ? "told later" : `${e.mark} of ${e.points}`}</td>
              <td className="number-cell">{e.attempts > 0 && count(e.attempts, "attempt")}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function stateOf({ outcome, by_hand: byHand, reason, attempts, counts_at: countsAt }: Schemas["ExerciseMark"]) {
  if (byHand) return `Marked by hand${reason ? `: ${reason}` : ""}`;
  if (!outcome) return "Not submitted";
  const which = attempts > 1 && countsAt ? `; the attempt of ${moment(countsAt)} counts` : "";
  return outcomeWord(outcome) + which;
}
