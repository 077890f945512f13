import { pattern } from "./scope";
import { keywords, types } from "./words";

/** A piece of a line, with the class that colours it. */
export interface Piece {
  text: string;
  colour: string;
}

const words = new Map([
  ...types.map((word): [string, string] => [word, "sql-number"]),
  ...keywords.map((word): [string, string] => [word, "sql-keyword"]),
  ...["true", "false", "null", "unknown"].map((word): [string, string] => [word, "sql-number"]),
]);

/** The colour of a word, text, number, comment or sign: that which the editor gives it. */
function colourOf(found: string): string {
  if (found.startsWith("--") || found.startsWith("/*")) return "sql-comment";
  if (/^(?:[eE]?'|"|\$\w*\$)/.test(found)) return "sql-string";
  if (/^\d/.test(found)) return "sql-number";
  return words.get(found.toLowerCase()) ?? "";
}

/** The coloured lines of an SQL text, as they are shown where nobody writes: without the editor, which loads later. */
export function colourLines(text: string): Piece[][] {
  const lines: Piece[][] = [[]];
  const add = (piece: string, colour: string) =>
    piece.split("\n").forEach((part, i) => {
      if (i > 0) lines.push([]);
      if (part) lines.at(-1)!.push({ text: part, colour });
    });
  let at = 0;
  for (const match of text.matchAll(pattern)) {
    add(text.slice(at, match.index), "");
    add(match[0], colourOf(match[0]));
    at = match.index + match[0].length;
  }
  add(text.slice(at), "");
  return lines;
}
