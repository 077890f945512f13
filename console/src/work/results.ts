/** What stands on the page and can be run or cleared with all others: an example, or an exercise's results. */
export interface Results {
  /** Where it stands. */
  element: HTMLElement;
  /** Only an example is run with the others. */
  run?(): Promise<void>;
  clear(): void;
}

const all = new Set<Results>();

function inOrder() {
  const follows = (a: Results, b: Results) =>
    a.element.compareDocumentPosition(b.element) & Node.DOCUMENT_POSITION_FOLLOWING ? -1 : 1;
  return [...all].sort(follows);
}

export const results = {
  /** Takes part until what it returns is called. */
  add(one: Results) {
    all.add(one);
    return () => void all.delete(one);
  },
  /** Runs the examples one after another, in the order in which they stand. */
  async runExamples() {
    for (const one of inOrder()) await one.run?.();
  },
  clear() {
    for (const one of all) one.clear();
  },
};
