import type { Exercise, Job, Outcome } from "../api/client";

const words: Record<Outcome, string> = {
  correct: "Correct",
  incorrect: "Incorrect",
  rejected: "Rejected",
  failed: "Failed",
  stopped: "Stopped",
  done: "Done",
};

/** An outcome; of an attempt that has none yet for whoever asks, what they may know of it. */
export function outcomeWord(outcome?: Outcome) {
  return outcome ? words[outcome] : "Received";
}

/** What came of an attempt, in words. */
export function verdict(attempt: { outcome?: Outcome; mark?: number; points?: number; untold?: boolean }) {
  if (attempt.untold) return "received, told later";
  return `${outcomeWord(attempt.outcome).toLowerCase()}, ${attempt.mark} of ${points(attempt.points ?? 0)}`;
}

export function points(n: number) {
  return n === 1 ? "1 point" : `${n} points`;
}

export function count(n: number, noun: string) {
  return n === 1 ? `1 ${noun}` : `${n.toLocaleString("en")} ${noun}s`;
}

/** The state of an exercise in words. */
export function stateOf(exercise: Exercise) {
  const { outcome, by_hand: byHand, mark } = exercise;
  if (exercise.untold && exercise.attempts > 0) return "Submitted, told later";
  if (!outcome && !byHand) return "Not submitted";
  return `${byHand ? "Marked by hand" : outcomeWord(outcome!)}, ${mark} of ${points(exercise.points)}`;
}

const zone = new Intl.DateTimeFormat("en-GB", { timeZoneName: "short" });

/**
 * A time at which something opens or is due: with the day, also where that is today, and the zone that it is told in.
 */
export function dueTime(iso: string) {
  const at = new Date(iso);
  const name = zone.formatToParts(at).find((part) => part.type === "timeZoneName")?.value ?? "";
  const said = moment(iso);
  return `${said.includes(",") ? said : `today, ${said}`} ${name}`.trim();
}

/** The same time in another zone; "" where that shows the same. */
export function timeIn(iso: string, zone: string) {
  const at = new Date(iso);
  const told = (timeZone?: string) =>
    at.toLocaleString("en-GB", { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit", timeZone });
  return told(zone) === told() ? "" : told(zone);
}

const minute = 60_000;
const hour = 60 * minute;
const day = 24 * hour;

/** What is left of a time, in its largest unit. */
export function timeLeft(ms: number) {
  if (ms >= 2 * day) return count(Math.floor(ms / day), "day");
  if (ms > 2 * hour) return count(Math.floor(ms / hour), "hour");
  return ms > 2 * minute ? count(Math.ceil(ms / minute), "minute") : count(Math.ceil(ms / 1000), "second");
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

export function bytes(n: number) {
  if (n >= 1 << 30) return `${(n / (1 << 30)).toFixed(1)} GB`;
  if (n >= 1 << 20) return `${(n / (1 << 20)).toFixed(1)} MB`;
  return n >= 1 << 10 ? `${Math.round(n / (1 << 10))} kB` : count(n, "byte");
}

/** How a build or load stands, in words. */
export function jobSentence(job: Job): string {
  switch (job.state) {
    case "receiving":
      return "Uploading.";
    case "queued":
      return "Queued.";
    case "running":
      return "Building.";
    case "asking":
      return job.report?.breaks?.length || job.report?.differences?.length
        ? "Waiting for you to decide."
        : "Waiting for you to confirm the column types.";
    case "stopping":
      return "It is being stopped.";
    case "done":
      return `Done: ${made(job) || "loaded"}.`;
    case "failed":
      return job.errors?.length
        ? `Failed: ${count(job.errors.length + (job.more_errors ?? 0), "error")} in its scripts.`
        : `Failed: ${job.problem?.title ?? ""}.`;
    case "stopped":
      return "Stopped; what it had made is removed.";
  }
}

/** What a job built, in words. */
function made(job: Job) {
  const builds = job.report?.datasets ?? [];
  return builds.map((d) => `build ${d.build}, ${count(d.tables, "table")}, ${count(d.rows, "row")}`).join("; ");
}
