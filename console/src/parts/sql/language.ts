import { PostgreSQL, SQLDialect } from "@codemirror/lang-sql";
import { tagHighlighter, tags } from "@lezer/highlight";
import { keywords } from "./words";

export const dialect = SQLDialect.define({ ...PostgreSQL.spec, keywords: keywords.join(" ") });

/** Colours are the page's, so that light and dark need no second set. */
export const colours = tagHighlighter([
  { tag: tags.keyword, class: "sql-keyword" },
  { tag: [tags.string, tags.special(tags.string)], class: "sql-string" },
  { tag: [tags.number, tags.typeName, tags.bool, tags.null], class: "sql-number" },
  { tag: [tags.lineComment, tags.blockComment], class: "sql-comment" },
]);

/** A statement of a text, and where it begins and ends there. */
export interface Statement {
  text: string;
  from: number;
  to: number;
  line: number; // of its first character, counted from 1
  column: number; // as well
}

/** The statements of a text, without what stands between them. */
export function statementsOf(text: string): Statement[] {
  const all: Statement[] = [];
  for (let node = dialect.language.parser.parse(text).topNode.firstChild; node; node = node.nextSibling) {
    if (node.name !== "Statement") continue;
    const statement = text.slice(node.from, node.to);
    if (statement.replace(/;\s*$/, "").trim() === "") continue;
    const before = text.slice(0, node.from).split("\n");
    const [line, column] = [before.length, before.at(-1)!.length + 1];
    all.push({ text: statement, from: node.from, to: node.to, line, column });
  }
  return all;
}
