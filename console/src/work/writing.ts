import type { SqlHandle } from "../parts/sql/SqlSpace";

let current: SqlHandle | null = null;

/** Where somebody writes, so that names can be written there from elsewhere on the page. */
export const writing = {
  /** The answer space that is used now. */
  use(handle: SqlHandle) {
    current = handle;
  },
  /** It has gone. */
  leave(handle: SqlHandle) {
    if (current === handle) current = null;
  },
  /** Writes where the cursor stands; false where nobody has begun to write. */
  insert(text: string): boolean {
    current?.insert(text);
    return current !== null;
  },
};
