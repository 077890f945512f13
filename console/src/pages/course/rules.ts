import type { Schemas } from "../../api/client";
import { count } from "../../parts/words";
import { inZone } from "../../parts/zoned";

type Rules = Schemas["PaperRules"];

/** How a paper is set, as far as it is not as usual: a sentence for each rule. */
export function rulesInWords({ rules, released }: Schemas["CoursePaper"], zone: string): string[] {
  const said = [];
  const exam = rules.examination;
  if (exam) {
    const order = exam.shuffle ? ", in an order of their own" : "";
    said.push(`An examination of ${count(exam.minutes, "minute")} from each learner's own begin${order}.`);
  }
  if (rules.counts === "last") said.push("The last attempt by the due time counts.");
  if (rules.counts === "first") said.push("The first attempt counts.");
  if (rules.attempts) said.push(`At most ${count(rules.attempts, "attempt")} at each exercise.`);
  if (rules.late?.minutes) said.push(`${lateInWords(rules.late)}.`);
  for (const [kind, share] of Object.entries(rules.partial ?? {}))
    said.push(`${share} % of the points where only ${findings[kind] ?? kind} is wrong.`);
  if (released) said.push(`Marks were released ${inZone(released, zone)}.`);
  else if (rules.tell === "after-due") said.push("Marks and findings are told after the due time.");
  else if (rules.tell === "released") said.push("Marks and findings are told when they are released.");
  if (rules.answers) said.push("Accepted answers are shown once nobody can submit any more.");
  return said;
}

/** What is accepted late, and what is taken off for it. */
export function lateInWords({ minutes, per_hour: perHour, steps }: NonNullable<Rules["late"]>) {
  const until = `Accepted up to ${length(minutes)} late`;
  if (perHour) return `${until}, ${perHour} % off for each hour begun`;
  if (!steps?.length) return until;
  return `${until}: ${steps.map((step) => `${step.percent} % off up to ${length(step.minutes)}`).join(", ")}`;
}

function length(minutes: number) {
  if (minutes % 1440 === 0) return count(minutes / 1440, "day");
  return minutes % 60 === 0 ? count(minutes / 60, "hour") : count(minutes, "minute");
}

/** The kinds of findings for which part of the points is most often given, in words. */
export const findings: Record<string, string> = {
  "row-order": "the order of rows",
  "row-order-reversed": "the direction of the order",
  "row-order-partly": "the order of rows that tie",
  "column-names": "the names of columns",
  "columns-swapped": "the order of columns",
  "columns-extra": "a column too many",
  "rows-repeated": "rows that are repeated",
  "values-rounded": "rounding",
  "values-case": "letter case",
  "values-spaces": "spaces in texts",
};
