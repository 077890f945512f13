import type { Schemas } from "../../api/client";
import { count } from "../../parts/words";
import { inZone } from "../../parts/zoned";

type Rules = Schemas["PaperRules"];

/** How a paper is set, as far as it is not as usual: a sentence for each rule. */
export function rulesInWords({ rules, released }: Schemas["CoursePaper"], zone: string): string[] {
  const said = [];
  const exam = rules.examination;
  if (exam) {
    const order = exam.shuffle ? ", the exercises in an order of their own" : "";
    said.push(`An examination of ${count(exam.minutes, "minute")} from when each learner begins${order}.`);
  }
  if (rules.counts === "last") said.push("The last attempt by the due time counts.");
  if (rules.counts === "first") said.push("The first attempt counts.");
  if (rules.attempts) said.push(`At most ${count(rules.attempts, "attempt")} at each exercise.`);
  if (rules.late?.minutes) said.push(`${lateInWords(rules.late)}.`);
  const partial = Object.entries(rules.partial ?? {});
  for (const share of new Set(partial.map(([, share]) => share))) {
    const of = partial.filter((entry) => entry[1] === share).map(([kind]) => findings[kind] ?? kind);
    said.push(`${share} % of the points if nothing is wrong but ${of.join(" or ")}.`);
  }
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

/** What may be wrong with an answer, by kind of finding. */
export const findings: Record<string, string> = {
  "row-order": "the order of rows",
  "row-order-key": "what the rows are ordered by",
  "row-order-reversed": "the direction of the order",
  "row-order-partly": "the order of rows that tie",
  "column-names": "the names of columns",
  "columns-swapped": "the order of columns",
  "columns-extra": "columns too many",
  "columns-missing": "missing columns",
  "column-type": "the type of a column",
  "rows-repeated": "repeated rows",
  "rows-multiplied": "rows multiplied by a join",
  "rows-extra": "rows too many",
  "rows-missing": "missing rows",
  "duplicates-removed": "duplicates removed",
  "values-rounded": "rounding",
  "values-case": "letter case",
  "values-spaces": "spaces in texts",
  "values-null": "NULL in place of values",
  "values-day": "dates a day off",
  "values-factor": "values off by a factor",
  "values-constant": "values off by a constant",
  "values-shifted": "values of the row before or after",
  "values-differ": "values",
};
