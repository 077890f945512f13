import { answer, api, problemOf, type Problem } from "../api/client";
import { passes } from "./drafts";
import { Kept, keyOf, Watched, type Place } from "./place";

const again = 3000; // milliseconds until another try

/** What was submitted, and where it is: on its way, waiting until the service can be reached, or refused. */
export interface Submission {
  place: Place;
  sql: string;
  key: string; // the service stores one attempt for it, however often it is sent
  at: string;
  state: "sending" | "waiting" | "refused";
  problem?: Problem; // why it waits, or was refused
}

const kept = new Kept<Submission>("examen.submission ");

/** The submissions of this window that have not become attempts yet. What was submitted is what is sent, once. */
export class Submissions extends Watched {
  private account: string | null = null;
  private readonly all = new Map<string, Submission>();
  private readonly timers = new Map<string, number>();

  /** onStored is told of each that the service has stored. */
  onStored: (place: Place) => void = () => {};

  use(account: string | null) {
    if (account === this.account) return;
    this.account = account;
    if (!account) return;
    for (const left of kept.of(account)) if (!this.all.has(keyOf(left.place))) this.put({ ...left, state: "waiting" });
    this.sendWaiting();
  }

  at(place: Place): Submission | undefined {
    return this.all.get(keyOf(place));
  }

  submit(place: Place, sql: string) {
    const earlier = this.at(place);
    if (earlier && earlier.state !== "refused") return; // it is on its way
    const submission: Submission = { place, sql, key: newKey(), at: new Date().toISOString(), state: "sending" };
    kept.put(submission);
    this.put(submission);
    void this.send(submission);
  }

  /** Sends again what waits: the service can be reached. */
  sendWaiting() {
    for (const submission of this.all.values()) if (submission.state === "waiting") void this.send(submission);
  }

  /** Gives up one that waits, or forgets one that was refused. */
  drop(place: Place) {
    window.clearTimeout(this.timers.get(keyOf(place)));
    kept.remove(place);
    this.all.delete(keyOf(place));
    this.changed();
  }

  private async send(submission: Submission) {
    const { place, sql, key } = submission;
    window.clearTimeout(this.timers.get(keyOf(place)));
    if (place.account !== this.account) return;
    this.put({ ...submission, state: "sending", problem: undefined });
    const { paper, exercise } = place;
    try {
      await answer(
        api.POST("/api/papers/{paper}/exercises/{exercise}/attempts", {
          params: { path: { paper, exercise } },
          body: { sql, key },
        }),
      );
      this.drop(place);
      this.onStored(place);
    } catch (error) {
      const problem = problemOf(error);
      if (passes(problem) && problem.status !== 429 && problem.status !== 500) {
        const waiting: Submission = { ...submission, state: "waiting", problem };
        this.put(waiting);
        this.timers.set(
          keyOf(place),
          window.setTimeout(() => this.sendWaiting(), again),
        );
      } else {
        kept.remove(place);
        this.put({ ...submission, state: "refused", problem });
      }
    }
  }

  private put(submission: Submission) {
    this.all.set(keyOf(submission.place), submission);
    this.changed();
  }
}

function newKey() {
  return Array.from(crypto.getRandomValues(new Uint8Array(16)), (b) => b.toString(16).padStart(2, "0")).join("");
}

export const submissions = new Submissions();

addEventListener("online", () => submissions.sendWaiting());
