import { keywords } from "./words";
import { folded, tableOf, type Dataset, type Table } from "./schema";

/** A word, quoted name, text or sign of a statement. Comments are none. */
export interface Token {
  kind: "name" | "keyword" | "text" | "number" | "sign";
  text: string;
  from: number;
  to: number;
}

/** What an SQL text consists of, one after another: comments, texts, names, words, numbers, signs. */
export const pattern = new RegExp(
  [
    "--[^\\n]*",
    "/\\*[^]*?(?:\\*/|$)",
    "\\$([a-zA-Z_]*)\\$[^]*?(?:\\$\\1\\$|$)",
    "[eE]?'(?:[^']|'')*(?:'|$)",
    '"(?:[^"]|"")*(?:"|$)',
    "[\\p{L}_][\\p{L}\\p{N}_$]*",
    "\\d[\\d.eE]*",
    "::|<>|<=|>=|!=|\\|\\|",
    "\\S",
  ].join("|"),
  "gu",
);

const known = new Set(keywords);

export function tokensOf(text: string): Token[] {
  const all: Token[] = [];
  for (const match of text.matchAll(pattern)) {
    const found = match[0];
    if (found.startsWith("--") || found.startsWith("/*")) continue;
    let kind: Token["kind"] = "sign";
    if (found.startsWith('"')) kind = "name";
    else if (/^(?:[eE]?'|\$\w*\$)/.test(found)) kind = "text";
    else if (/^\d/.test(found)) kind = "number";
    else if (/^[\p{L}_]/u.test(found)) kind = known.has(found.toLowerCase()) ? "keyword" : "name";
    all.push({ kind, text: found, from: match.index, to: match.index + found.length });
  }
  return all;
}

const is = (token: Token | undefined, ...words: string[]) =>
  token !== undefined && token.kind !== "text" && words.includes(token.text.toUpperCase());

// Words behind a table that are no alias of it.
const noAlias = new Set(
  (
    "ON USING WHERE GROUP ORDER HAVING LIMIT OFFSET FETCH JOIN INNER LEFT RIGHT FULL CROSS NATURAL UNION EXCEPT " +
    "INTERSECT AS SET VALUES RETURNING WINDOW FOR TABLESAMPLE LATERAL SELECT WITH"
  ).split(" "),
);

/** A table, or what else has rows, as a statement names it. */
export interface Source {
  name: Token[]; // the parts of its name
  alias?: Token;
  table?: Table; // of the dataset; nothing for a WITH query, a function, or a name that is not there
}

/** What the names in a statement can mean. Its subqueries are not told apart. */
export interface Scope {
  tokens: Token[];
  sources: Source[];
  /** Names that the statement gives: WITH queries, aliases of columns, windows. */
  given: Set<string>;
}

export function scopeOf(statement: string, dataset: Dataset): Scope {
  const tokens = tokensOf(statement);
  const sources: Source[] = [];
  const given = new Set<string>();
  for (let i = 0; i < tokens.length; i++) {
    const token = tokens[i];
    if (is(token, "AS")) {
      if (is(tokens[i + 1], "(") || is(tokens[i + 1], "MATERIALIZED", "NOT")) givenBefore(tokens, i, given);
      else if (tokens[i + 1]) given.add(folded(tokens[i + 1].text));
    }
    // A name behind a closing bracket or another name is an alias.
    if (token.kind === "name" && i > 0 && (is(tokens[i - 1], ")") || endsValue(tokens[i - 1])))
      given.add(folded(token.text));
    if (is(token, "FROM", "JOIN", "UPDATE", "INTO"))
      i = readSources(tokens, i + 1, is(token, "FROM"), dataset, sources);
  }
  return { tokens, sources, given };
}

const endsValue = (token: Token) => token.kind === "name" || token.kind === "text" || token.kind === "number";

/** WITH name AS (, or name (columns) AS (. */
function givenBefore(tokens: Token[], as: number, given: Set<string>) {
  let i = as - 1;
  if (is(tokens[i], ")")) {
    while (i > 0 && !is(tokens[i], "(")) given.add(folded(tokens[i--].text));
    i--;
  }
  if (i >= 0) given.add(folded(tokens[i].text));
}

/** Reads the items of FROM, up to the next word that is none; returns where it stopped. */
function readSources(tokens: Token[], i: number, list: boolean, dataset: Dataset, sources: Source[]): number {
  for (;;) {
    if (is(tokens[i], "ONLY", "LATERAL")) i++;
    if (tokens[i]?.kind !== "name" && !(tokens[i]?.kind === "keyword" && !noAlias.has(tokens[i].text.toUpperCase())))
      return i - 1;
    const name = [tokens[i++]];
    while (is(tokens[i], ".") && (tokens[i + 1]?.kind === "name" || tokens[i + 1]?.kind === "keyword")) {
      name.push(tokens[i + 1]);
      i += 2;
    }
    if (is(tokens[i], "(")) return i - 1; // a function
    const source: Source = {
      name,
      table: tableOf(
        dataset,
        name.map((t) => t.text),
      ),
    };
    if (is(tokens[i], "AS")) i++;
    if (tokens[i] && (tokens[i].kind === "name" || tokens[i].kind === "keyword")) {
      if (!noAlias.has(tokens[i].text.toUpperCase())) source.alias = tokens[i++];
    }
    sources.push(source);
    if (!list || !is(tokens[i], ",")) return i - 1;
    i++;
  }
}

/** By what a source's columns are qualified. */
export function nameOf(source: Source): string {
  return (source.alias ?? source.name.at(-1)!).text;
}

/** Finds the source that a qualifier names. */
export function sourceOf(scope: Scope, qualifier: string): Source | undefined {
  return scope.sources.find((s) => folded(nameOf(s)) === folded(qualifier));
}

export { is };
