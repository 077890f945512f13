import type { Schemas } from "../../api/client";

export type Learner = Schemas["LearnerProgress"];
export type Cell = Schemas["ProgressCell"];

/** From how many attempts without coming nearer somebody is stuck at an exercise. */
const stuckFrom = 3;

export function isStuck(cell: Cell) {
  return (cell.stuck ?? 0) >= stuckFrom;
}

export const states = { none: "has not begun", stuck: "is stuck", work: "is at work", done: "is done" };
export type State = keyof typeof states;

/** How a learner gets on with the whole paper. */
export function stateOf({ cells }: Learner): State {
  if (cells.every((cell) => cell.attempts === 0)) return "none";
  if (cells.some(isStuck)) return "stuck";
  return cells.every((cell) => cell.outcome === "correct") ? "done" : "work";
}

export interface View {
  find: string;
  group: string;
  state: State | "";
  /** Marks, as typed. */
  from: string;
  to: string;
  sort: "name" | "group" | "mark" | "attempts" | "last";
  down: boolean;
}

export const everybody: View = { find: "", group: "", state: "", from: "", to: "", sort: "name", down: false };

export function attemptsOf(learner: Learner) {
  return learner.cells.reduce((sum, cell) => sum + cell.attempts, 0);
}

/** The learners that are looked for, in the order that is wanted. */
export function shown(learners: Learner[], view: View) {
  const find = view.find.trim().toLowerCase();
  const from = view.from === "" ? -Infinity : Number(view.from);
  const to = view.to === "" ? Infinity : Number(view.to);
  const found = learners.filter(
    (learner) =>
      (!find || `${learner.display_name} ${learner.name}`.toLowerCase().includes(find)) &&
      (!view.group || learner.group === view.group) &&
      (!view.state || stateOf(learner) === view.state) &&
      learner.mark >= from &&
      learner.mark <= to,
  );
  const way = view.down ? -1 : 1;
  if (view.sort !== "name") found.sort((a, b) => way * compare(a, b, view.sort));
  return view.sort === "name" && view.down ? found.reverse() : found;
}

function compare(a: Learner, b: Learner, by: View["sort"]) {
  if (by === "mark") return a.mark - b.mark;
  if (by === "attempts") return attemptsOf(a) - attemptsOf(b);
  const [one, other] = by === "group" ? [a.group ?? "", b.group ?? ""] : [a.last ?? "", b.last ?? ""];
  return one < other ? -1 : Number(one > other);
}

/** How a class gets on with an exercise. */
export interface Share {
  tried: number;
  solved: number;
}

/** From how many who tried the share of those who solved it says something. */
const enough = 4;

export function sharesOf(learners: Learner[], exercises: number): Share[] {
  const shares = Array.from({ length: exercises }, () => ({ tried: 0, solved: 0 }));
  for (const { cells } of learners)
    cells.forEach((cell, i) => {
      if (cell.attempts > 0) shares[i].tried++;
      if (cell.tries) shares[i].solved++;
    });
  return shares;
}

export function isHard({ tried, solved }: Share) {
  return tried >= enough && solved * 2 < tried;
}

export function percent({ tried, solved }: Share) {
  return tried === 0 ? "" : `${Math.round((100 * solved) / tried)} %`;
}
