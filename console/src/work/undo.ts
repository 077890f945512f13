const prefix = "examen.undo ";
const mostKept = 200_000; // characters, of one text

/** What can be undone in a text, and the text to which that belongs. */
export interface Undo {
  doc: string;
}

/** What can be undone of an earlier visit. */
export function keptUndo(key: string): Undo | undefined {
  try {
    return (JSON.parse(localStorage.getItem(prefix + key) ?? "null") as Undo | null) ?? undefined;
  } catch {
    return undefined;
  }
}

export function keepUndo(key: string, undo: Undo) {
  try {
    const kept = JSON.stringify(undo);
    if (kept.length <= mostKept) localStorage.setItem(prefix + key, kept);
    else localStorage.removeItem(prefix + key);
  } catch {
    // The browser keeps nothing, or is full: there is nothing to undo at the next visit.
  }
}

/** Forgets all of it: whoever logs out leaves nothing of their texts in the browser. */
export function forgetUndo() {
  for (const key of Object.keys(localStorage)) if (key.startsWith(prefix)) localStorage.removeItem(key);
}
