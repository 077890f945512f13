import type { Exercise, Outcome } from "../api/client";

const words: Record<Outcome, string> = {
  correct: "Correct",
  incorrect: "Incorrect",
  rejected: "Rejected",
  failed: "Failed",
  stopped: "Stopped",
  done: "Done",
};

export function outcomeWord(outcome: Outcome) {
  return words[outcome];
}

export function points(n: number) {
  return n === 1 ? "1 point" : `${n} points`;
}

export function count(n: number, noun: string) {
  return n === 1 ? `1 ${noun}` : `${n.toLocaleString("en")} ${noun}s`;
}

/** The state of an exercise in words. */
export function stateOf(exercise: Exercise) {
  if (!exercise.outcome) return "Not submitted";
  return `${outcomeWord(exercise.outcome)}, ${exercise.mark} of ${points(exercise.points)}`;
}

/** The day is left out where it is today. */
export function moment(iso: string) {
  const at = new Date(iso);
  const time = at.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });
  if (at.toDateString() === new Date().toDateString()) return time;
  return `${at.toLocaleDateString("en-GB", { day: "numeric", month: "short", year: "numeric" })}, ${time}`;
}

export function milliseconds(ms: number) {
  return ms < 1000 ? `${ms.toFixed(1)} ms` : `${(ms / 1000).toFixed(1)} s`;
}
