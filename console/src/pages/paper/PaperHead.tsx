import type { Schemas } from "../../api/client";
import { dueTime, points } from "../../parts/words";
import { DueTime } from "./DueTime";

interface Props {
  summary: Schemas["PaperSummary"];
  closed: boolean;
  instructor: boolean;
  hidden: boolean;
}

/** A paper's title, when it is due, and how one stands on it. */
export function PaperHead({ summary, closed, instructor, hidden }: Props) {
  const overdue = summary.state === "overdue" && !closed;
  return (
    <div className="strip" hidden={hidden}>
      <h1>{summary.title}</h1>
      <p className="quiet">
        {overdue ? (
          <>
            Was due {dueTime(summary.due!)}. Late answers are accepted
            {late(summary.rules?.late)}: <DueTime due={summary.closes!} zone={summary.zone} closed={false} />
          </>
        ) : (
          summary.due && <DueTime due={summary.due} zone={summary.zone} closed={closed} />
        )}
        {!instructor && (summary.untold ? told(summary) : marked(summary, closed))}
      </p>
    </div>
  );
}

function marked({ mark, points: all }: Schemas["PaperSummary"], closed: boolean) {
  return `${mark} of ${points(all)}${closed ? "" : " so far"}.`;
}

/** What is taken off the mark of what comes late. */
function late(rules?: Schemas["LateRules"]) {
  if (rules?.per_hour) return `, with ${rules.per_hour} % off for each hour begun`;
  if (rules?.steps?.length)
    return `, with ${rules.steps.map((s) => `${s.percent} % off up to ${hours(s.minutes)}`).join(", ")}`;
  return "";
}

function hours(minutes: number) {
  if (minutes % 1440 === 0) return minutes === 1440 ? "a day" : `${minutes / 1440} days`;
  return minutes % 60 === 0 ? (minutes === 60 ? "an hour" : `${minutes / 60} hours`) : `${minutes} minutes`;
}

function told({ rules, points: n }: Schemas["PaperSummary"]) {
  const when = rules?.tell === "released" ? "when your instructor releases them" : "after the due time";
  return `${points(n)}; outcomes and marks are told ${when}.`;
}
