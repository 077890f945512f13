/** Whose answer to which exercise. */
export interface Place {
  account: string;
  paper: string;
  exercise: string;
}

export const keyOf = ({ account, paper, exercise }: Place) => `${account} ${paper} ${exercise}`;

/** What waits to be sent is also kept in the browser, so that it outlives the page. */
export class Kept<T extends { place: Place }> {
  constructor(private readonly prefix: string) {}

  put(value: T) {
    try {
      localStorage.setItem(this.prefix + keyOf(value.place), JSON.stringify(value));
    } catch {
      // The browser keeps nothing, or is full: the page itself still has it.
    }
  }

  remove(place: Place) {
    localStorage.removeItem(this.prefix + keyOf(place));
  }

  /** All that is kept for an account. */
  of(account: string): T[] {
    const found: T[] = [];
    for (let i = 0; i < localStorage.length; i++) {
      const key = localStorage.key(i)!;
      if (!key.startsWith(this.prefix + account + " ")) continue;
      try {
        found.push(JSON.parse(localStorage.getItem(key)!) as T);
      } catch {
        // of another version
      }
    }
    return found;
  }
}

/** Tells those who watch that something has changed. */
export class Watched {
  private readonly watchers = new Set<() => void>();

  watch = (f: () => void) => {
    this.watchers.add(f);
    return () => {
      this.watchers.delete(f);
    };
  };

  protected changed() {
    for (const f of this.watchers) f();
  }
}
