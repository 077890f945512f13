import { answer, api, problemOf, type Problem, type Schemas } from "../api/client";
import { passes } from "./drafts";
import { Kept, Watched, type Place } from "./place";

export type Writing = Schemas["Writing"];
export type WritingPart = Schemas["WritingPart"];

const pause = 700; // milliseconds after the last key
const longest = 2000; // milliseconds that typing goes on without being saved
const again = 3000; // milliseconds until another try
const look = 3000; // milliseconds from one look at what others do to the next

/** A part of a paper as this window has it. */
export interface OwnPart {
  /** As the service has it. */
  part: WritingPart;
  text: string;
  /** The revision that the text was made from. */
  base: number;
  /** Nothing but its being typed has happened to the text. */
  unsaved: boolean;
  /** Somebody else has changed it: their form; null where they have taken it out. */
  theirs?: WritingPart | null;
}

export interface TextState {
  writing: Writing;
  order: number[];
  parts: Map<number, OwnPart>;
  /** Why the last try to save failed. */
  problem?: Problem;
  saving: boolean;
}

interface KeptPart {
  place: Place;
  text: string;
  base: number;
}

const kept = new Kept<KeptPart>("examen.part ");

/**
 * The text of one paper while it is written: each part is saved as it is typed, on top of the revision that it was made
 * from; what others change meanwhile comes in, and where both have changed one part, both forms are kept.
 */
export class PaperText extends Watched {
  state?: TextState;
  problem?: Problem; // why there is no text
  constructs: string[] = []; // that rules may name
  private readonly window = Math.random().toString(36).slice(2);
  private at = 0; // the part where one is
  private looking = 0;
  private timer = 0;
  private since = 0;
  private running: Promise<void> | null = null;

  constructor(
    readonly paper: string,
    private readonly account: string,
  ) {
    super();
  }

  /** Begins, and looks from time to time what others do. What it returns ends that. */
  open() {
    void this.here(0);
    const beat = () => document.visibilityState === "visible" && void this.here(this.state?.writing.revision ?? 0);
    this.looking = window.setInterval(beat, look);
    const leave = () => {
      void this.save(true);
      void this.here(1, true);
    };
    addEventListener("pagehide", leave);
    return () => {
      window.clearInterval(this.looking);
      removeEventListener("pagehide", leave);
      void this.save();
      void this.here(1, true);
    };
  }

  /** Says where one is: others are told. */
  go(part: number) {
    if (part === this.at) return;
    this.at = part;
    if (this.state) void this.here(this.state.writing.revision);
  }

  /** Who else has the paper open, and where they are. */
  others() {
    const others = (this.state?.writing.writers ?? []).filter((writer) => writer.window !== this.window);
    return others.map(({ name, display_name: said, part }) => ({
      said: name === this.account ? "You have it open in another window, too." : `${said} is here, too.`,
      part,
    }));
  }

  private async here(since: number, gone = false, saving = false) {
    const body = { window: this.window, since, part: this.at, gone };
    try {
      const writing = await answer(
        api.PUT("/api/papers/{paper}/writing", {
          params: { path: { paper: this.paper } },
          body,
          keepalive: gone,
        }),
      );
      // What is being saved comes back with its own answer.
      if (!gone && (saving || !this.running)) this.take(writing);
    } catch (error) {
      if (!this.state) {
        this.problem = problemOf(error);
        this.changed();
      }
    }
  }

  /**
   * Takes what the service has; what is unsaved here stays. What one's own change brought is not all that has changed
   * meanwhile: the next look begins where the last one ended.
   */
  private take(writing: Writing, own = false) {
    const known = this.state?.writing.revision ?? 0;
    if (writing.revision >= 0 && writing.revision < known) return; // an answer that was overtaken
    if (writing.unchanged) {
      return this.set({ writing: { ...this.state!.writing, writers: writing.writers } });
    }
    const first = this.state === undefined;
    this.constructs = writing.constructs ?? this.constructs;
    const parts = new Map(this.state?.parts);
    for (const part of writing.parts) {
      const own = parts.get(part.id);
      if (!own) parts.set(part.id, { part, text: part.text, base: part.revision, unsaved: false });
      else parts.set(part.id, renewed(own, part));
    }
    for (const [id, own] of parts) {
      if (writing.order.includes(id)) continue;
      if (own.unsaved) parts.set(id, { ...own, theirs: null });
      else parts.delete(id);
    }
    const lost = [...parts.keys()].filter((id) => !writing.order.includes(id));
    const revision = own ? known : writing.revision;
    this.set({ writing: { ...writing, revision }, order: [...writing.order, ...lost], parts });
    if (first) this.resume();
  }

  /** What an earlier page left unsaved. */
  private resume() {
    for (const left of kept.of(this.account)) {
      if (left.place.paper !== this.paper) continue;
      const id = Number(left.place.exercise);
      const own = this.state!.parts.get(id);
      if (!own || own.text === left.text) {
        kept.remove(left.place);
        continue;
      }
      this.put(id, { ...own, text: left.text, base: left.base, unsaved: true });
    }
    void this.save();
  }

  change(id: number, text: string) {
    const own = this.state?.parts.get(id);
    if (!own || own.text === text) return;
    const now = Date.now();
    if (!own.unsaved) this.since = now;
    this.put(id, { ...own, text, unsaved: true });
    kept.put({ place: this.place(id), text, base: own.base });
    this.wait(Math.max(0, Math.min(pause, this.since + longest - now)));
  }

  private wait(ms: number) {
    window.clearTimeout(this.timer);
    this.timer = window.setTimeout(() => void this.save(), ms);
  }

  private place(id: number): Place {
    return { account: this.account, paper: this.paper, exercise: String(id) };
  }

  /** Sends what is unsaved, one part after another. */
  async save(leaving = false): Promise<void> {
    window.clearTimeout(this.timer);
    if (this.running && !leaving) return this.running.then(() => this.save());
    const waiting = [...(this.state?.parts ?? [])].filter(([, own]) => own.unsaved && own.theirs === undefined);
    if (!waiting.length) return;
    this.running = (async () => {
      this.set({ saving: true });
      for (const [id] of waiting) await this.saveOne(id, leaving);
      this.set({ saving: false });
      this.running = null;
    })();
    return this.running;
  }

  private async saveOne(id: number, keepalive: boolean) {
    const own = this.state!.parts.get(id);
    if (!own?.unsaved || own.theirs !== undefined) return;
    const { text, base } = own;
    try {
      const writing = await answer(
        api.PUT("/api/papers/{paper}/writing/parts/{part}", {
          params: { path: { paper: this.paper, part: id } },
          body: { text, revision: base },
          keepalive: keepalive && text.length < 30_000,
        }),
      );
      const part = writing.parts.find((p) => p.id === id) ?? own.part;
      const now = this.state!.parts.get(id)!;
      const same = now.text === text;
      this.put(id, { part, text: now.text, base: part.revision, unsaved: !same });
      if (same) kept.remove(this.place(id));
      else kept.put({ place: this.place(id), text: now.text, base: part.revision });
      this.set({ problem: undefined });
      this.take(writing, true);
      if (!same) this.wait(pause);
    } catch (error) {
      const problem = problemOf(error);
      if (problem.status === 409) return this.here(0, false, true);
      this.set({ problem });
      if (passes(problem)) this.wait((problem.retry_after ?? again / 1000) * 1000);
    }
  }

  /** Of two forms, takes the other one, or keeps this one. */
  settle(id: number, take: "ours" | "theirs") {
    const own = this.state?.parts.get(id);
    if (!own || own.theirs === undefined) return;
    const { theirs } = own;
    if (take === "theirs") {
      kept.remove(this.place(id));
      if (theirs) this.put(id, { part: theirs, text: theirs.text, base: theirs.revision, unsaved: false });
      else this.forget(id);
      return;
    }
    if (theirs) {
      this.put(id, { ...own, part: theirs, base: theirs.revision, theirs: undefined });
      return void this.save();
    }
    this.forget(id);
    kept.remove(this.place(id));
    void this.add(own.text);
  }

  private forget(id: number) {
    const parts = new Map(this.state!.parts);
    parts.delete(id);
    this.set({ parts, order: this.state!.order.filter((i) => i !== id) });
  }

  /** Adds a section behind a part, or at the end, and returns its number. */
  async add(text: string, after?: number): Promise<number | undefined> {
    const before = new Set(this.state!.order);
    await this.does(() =>
      api.POST("/api/papers/{paper}/writing/parts", {
        params: { path: { paper: this.paper } },
        body: { text, after },
      }),
    );
    return this.state!.order.find((id) => !before.has(id));
  }

  move(id: number, after: number) {
    return this.does(() =>
      api.PUT("/api/papers/{paper}/writing/parts/{part}/place", {
        params: { path: { paper: this.paper, part: id } },
        body: { after },
      }),
    );
  }

  async remove(id: number) {
    await this.save();
    const own = this.state?.parts.get(id);
    if (!own) return;
    await this.does(() =>
      api.DELETE("/api/papers/{paper}/writing/parts/{part}", {
        params: { path: { paper: this.paper, part: id }, query: { revision: own.base } },
      }),
    );
  }

  private async does(call: () => Promise<{ data?: Writing; error?: unknown; response: Response }>) {
    await this.save();
    try {
      const writing = await answer(call());
      this.set({ problem: undefined });
      this.take(writing, true);
    } catch (error) {
      this.set({ problem: problemOf(error) });
      void this.here(0);
    }
  }

  private put(id: number, own: OwnPart) {
    this.set({ parts: new Map(this.state!.parts).set(id, own) });
  }

  private set(next: Partial<TextState>) {
    const empty = { order: [], parts: new Map<number, OwnPart>(), saving: false };
    this.state = { ...empty, ...this.state, ...next } as TextState;
    this.changed();
  }
}

/** A part after the service has told of it. */
function renewed(own: OwnPart, part: WritingPart): OwnPart {
  if (part.revision >= 0 && part.revision < own.base) return own; // an answer that was overtaken
  if (part.revision === own.base || part.text === own.text) {
    // The text is not new: the remarks may be.
    return { ...own, part, base: part.revision, unsaved: own.unsaved && part.text !== own.text };
  }
  if (own.unsaved) return { ...own, theirs: part };
  return { part, text: part.text, base: part.revision, unsaved: false };
}
