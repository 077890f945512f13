import type { Schemas } from "../../api/client";

export type Table = Schemas["Table"];
export type Column = Schemas["TableColumn"];
export type Dataset = Schemas["Dataset"];

/** A name as the server folds it: quoted names as they are, others in lower case. */
export function folded(name: string) {
  return name.startsWith('"') ? name.slice(1).replace(/"$/, "").replaceAll('""', '"') : name.toLowerCase();
}

/** Finds a table by the parts of its name, which may begin with the schema. */
export function tableOf(dataset: Dataset, parts: string[]): Table | undefined {
  const wanted = parts.map(folded).join(".");
  return dataset.tables.find((t) => t.name === wanted || `public.${t.name}` === wanted);
}

export function columnOf(table: Table, name: string): Column | undefined {
  const wanted = folded(name);
  return table.columns.find((c) => c.name === wanted);
}

/** The name of a table without its schema, as SQL has it. */
export function bareName(table: Table) {
  return /(?:"(?:[^"]|"")*"|[^."]+)$/.exec(table.sql_name)?.[0] ?? table.sql_name;
}

/** A short alias for a table: the first letters of the words of its name, another where those are taken. */
export function aliasFor(table: Table, taken: Set<string>) {
  const words = table.name
    .replace(/^.*\./, "")
    .toLowerCase()
    .split(/[^a-z0-9]+/)
    .filter((word) => /^[a-z]/.test(word));
  const letters = words.map((word) => word[0]).join("") || "t";
  for (let n = 1; ; n++) {
    const alias = n === 1 ? letters : letters + n;
    if (!taken.has(alias) && !["as", "by", "do", "if", "in", "is", "of", "on", "or", "to", "no"].includes(alias))
      return alias;
  }
}

/** The text of `words` that is most like a word: at most one letter in three differs. Undefined where there is none. */
export function nearest(word: string, words: Iterable<string>): string | undefined {
  let found: string | undefined;
  let least = Math.floor(word.length / 3) + 1;
  for (const other of words) {
    const apart = distance(word.toLowerCase(), other.toLowerCase(), least);
    if (apart < least) [found, least] = [other, apart];
  }
  return found;
}

/** The letters to change, add, leave out or swap with their neighbour to make one word the other (Damerau 1964). */
function distance(a: string, b: string, most: number): number {
  if (Math.abs(a.length - b.length) >= most) return most;
  let before: number[] = [];
  let row = Array.from({ length: b.length + 1 }, (_, j) => j);
  for (let i = 1; i <= a.length; i++) {
    const next = [i];
    for (let j = 1; j <= b.length; j++) {
      let n = Math.min(row[j] + 1, next[j - 1] + 1, row[j - 1] + (a[i - 1] === b[j - 1] ? 0 : 1));
      if (i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1]) n = Math.min(n, before[j - 2] + 1);
      next.push(n);
    }
    [before, row] = [row, next];
  }
  return row[b.length];
}
