import { answer, api, problemOf, type Problem, type Schemas } from "../api/client";
import { Kept, keyOf, Watched, type Place } from "./place";

const pause = 700; // milliseconds after the last key
const longest = 2000; // milliseconds that typing goes on without being saved
const again = 3000; // milliseconds until another try

/** How a draft stands. */
export interface DraftState {
  sql: string;
  /** Nothing but its being typed has happened to it. */
  unsaved: boolean;
  saved?: string; // when
  problem?: Problem; // why the last try to save it failed
  conflict: boolean; // another window or device has saved a later version
  theirs?: Schemas["Draft"]; // that version
}

interface KeptDraft {
  place: Place;
  sql: string;
  revision: number;
  sent?: string;
}

const kept = new Kept<KeptDraft>("examen.draft ");

/**
 * The text of one answer space, saved as it is typed: one text at a time, in the order of typing, on top of the version
 * that it was made from.
 */
export class Draft extends Watched {
  state: DraftState;
  private sent?: string; // the last text that was sent, whether or not its answer came
  private sending = false;
  private timer = 0;
  private since = 0; // when the first key was typed that is not saved

  constructor(
    private drafts: Drafts | null,
    readonly place: Place,
    sql: string,
    private revision: number,
    saved?: string,
  ) {
    super();
    this.state = { sql, unsaved: false, saved, conflict: false };
  }

  /** Takes up what was left unsaved by an earlier page. */
  static resume(drafts: Drafts, { place, sql, revision, sent }: KeptDraft) {
    const draft = new Draft(drafts, place, sql, revision);
    draft.sent = sent;
    draft.state = { ...draft.state, unsaved: true };
    return draft;
  }

  /** A page that shows the draft says what the service has. Unsaved text stays. */
  loaded(known?: Schemas["Draft"]) {
    if (this.state.unsaved || this.sending || !known || known.revision <= this.revision) return;
    this.revision = known.revision;
    this.set({ sql: known.sql, saved: known.kept, conflict: false, problem: undefined });
  }

  change(sql: string) {
    if (sql === this.state.sql) return;
    const now = Date.now();
    if (!this.state.unsaved) this.since = now;
    this.set({ sql, unsaved: true });
    this.keep();
    this.wait(Math.max(0, Math.min(pause, this.since + longest - now)));
  }

  /** Sends what is unsaved now. With leaving the page goes away: the browser finishes the call. */
  async save(leaving = false) {
    window.clearTimeout(this.timer);
    if (!this.state.unsaved || this.state.conflict || this.place.account !== this.drafts?.account) return;
    if (this.sending && !leaving) return; // what is typed meanwhile goes next
    const { paper, exercise } = this.place;
    const sql = this.state.sql;
    // The one on its way is older, and is refused where this one comes first.
    const revision = this.sending ? undefined : this.revision;
    this.sending = true;
    this.sent = sql;
    this.keep();
    try {
      const draft = await answer(
        api.PUT("/api/papers/{paper}/exercises/{exercise}/draft", {
          params: { path: { paper, exercise } },
          body: { sql, revision },
          keepalive: leaving && sql.length < 30_000,
        }),
      );
      this.sending = false;
      this.accepted(draft, sql);
    } catch (error) {
      this.sending = false;
      await this.refused(problemOf(error));
    }
  }

  private accepted(draft: Schemas["Draft"], sql: string) {
    this.revision = Math.max(this.revision, draft.revision);
    this.drafts?.onSaved(this.place, draft);
    if (this.state.sql !== sql) {
      this.since = Date.now();
      this.set({ saved: draft.kept, problem: undefined });
      this.keep();
      return this.wait(0);
    }
    kept.remove(this.place);
    this.set({ unsaved: false, saved: draft.kept, problem: undefined });
  }

  private async refused(problem: Problem) {
    if (problem.type === "examen:draft-changed") {
      const there = await this.latest();
      if (there && (there.sql === this.sent || there.sql === this.state.sql)) {
        // It was this page's own text that came first.
        this.revision = there.revision;
        return this.wait(0);
      }
      return this.set({ conflict: true, problem, theirs: there });
    }
    this.set({ problem });
    if (passes(problem)) this.wait((problem.retry_after ?? again / 1000) * 1000);
  }

  private async latest(): Promise<Schemas["Draft"] | undefined> {
    const { paper, exercise } = this.place;
    try {
      return (
        await answer(api.GET("/api/papers/{paper}/exercises/{exercise}", { params: { path: { paper, exercise } } }))
      ).draft;
    } catch {
      return undefined;
    }
  }

  /** Of two versions, takes the other one, or keeps this one. */
  async settle(take: "theirs" | "ours") {
    const there = await this.latest();
    if (!there) return;
    this.revision = there.revision;
    if (take === "theirs") {
      kept.remove(this.place);
      return this.set({ sql: there.sql, unsaved: false, conflict: false, problem: undefined, saved: there.kept });
    }
    this.set({ conflict: false, problem: undefined });
    await this.save();
  }

  /** Sends nothing any more. What is unsaved stays in the browser. */
  stop() {
    window.clearTimeout(this.timer);
    this.drafts = null;
  }

  private wait(milliseconds: number) {
    if (!this.drafts) return;
    window.clearTimeout(this.timer);
    this.timer = window.setTimeout(() => void this.save(), milliseconds);
  }

  private keep() {
    kept.put({ place: this.place, sql: this.state.sql, revision: this.revision, sent: this.sent });
  }

  private set(next: Partial<DraftState>) {
    this.state = { ...this.state, ...next };
    this.changed();
  }
}

/** Tells whether what a problem says passes by itself. */
export function passes({ status }: Problem) {
  return status === 0 || status >= 500 || status === 401 || status === 408 || status === 429;
}

/** All drafts that this window has to do with. Only those of whoever is logged in are sent. */
export class Drafts {
  account: string | null = null;
  private readonly all = new Map<string, Draft>();

  /** onSaved is told of each text that the service has saved. */
  onSaved: (place: Place, draft: Schemas["Draft"]) => void = () => {};

  /** Somebody has logged in, or nobody is any more. What an earlier page left unsaved is sent. */
  use(account: string | null) {
    if (account === this.account) return;
    this.account = account;
    if (!account) return;
    for (const left of kept.of(account)) {
      if (!this.all.has(keyOf(left.place))) this.all.set(keyOf(left.place), Draft.resume(this, left));
    }
    for (const draft of this.all.values()) void draft.save();
  }

  /** The draft of a place; what the service has of it is first where nothing is unsaved. */
  of(place: Place, first: string, known?: Schemas["Draft"]): Draft {
    const found = this.all.get(keyOf(place));
    if (found) return found;
    const made = new Draft(this, place, first, known?.revision ?? 0, known?.kept);
    this.all.set(keyOf(place), made);
    return made;
  }

  /** Sends all that is unsaved. */
  async save(leaving = false) {
    await Promise.all([...this.all.values()].map((draft) => draft.save(leaving)));
  }

  /** Forgets what was shown, of whoever has logged out. What is unsaved stays in the browser. */
  forget() {
    for (const draft of this.all.values()) draft.stop();
    this.all.clear();
  }
}

export const drafts = new Drafts();

addEventListener("pagehide", () => void drafts.save(true));
document.addEventListener("visibilitychange", () => {
  if (document.visibilityState === "hidden") void drafts.save(true);
});
addEventListener("online", () => void drafts.save());
