import type { Completion, CompletionContext, CompletionResult } from "@codemirror/autocomplete";
import { functions } from "./functions";
import { statementsOf } from "./language";
import { keywords } from "./words";
import { aliasFor, bareName, columnOf, folded, tableOf, type Column, type Dataset, type Table } from "./schema";
import { is, nameOf, scopeOf, sourceOf, tokensOf, type Scope, type Source, type Token } from "./scope";

/** What may stand where one writes, from the tables of a dataset. */
export function completionOf(dataset: () => Dataset | undefined) {
  return (context: CompletionContext): CompletionResult | null => {
    const data = dataset();
    if (!data || (context.view && !context.view.hasFocus)) return null;
    const text = context.state.doc.toString();
    const statement = statementAt(text, context.pos);
    const before = tokensOf(text.slice(statement.from, context.pos));
    const last = before.at(-1);
    const inWord =
      last && last.to + statement.from === context.pos && (last.kind === "name" || last.kind === "keyword");
    const from = inWord ? statement.from + last.from : context.pos;
    if (inWord) before.pop();
    if (isWithinText(text.slice(statement.from, from))) return null;
    const written = text.slice(from, context.pos);
    // What is being written is no alias yet.
    const rest = statement.text.slice(0, from - statement.from) + statement.text.slice(context.pos - statement.from);
    const all = optionsAt(before, scopeOf(rest, data), data, text, inWord || context.explicit);
    const options = all.filter((option) => begins(option, written)).sort((a, b) => (b.boost ?? 0) - (a.boost ?? 0));
    // A word that is complete needs no list, which would only lie over what is beneath.
    if (
      !options.length ||
      (!context.explicit && options.some((o) => o.type !== "schema" && folded(o.label) === folded(written)))
    )
      return null;
    return { from, options, filter: false };
  };
}

/** Whether what is written begins a name, or a part of it behind "." or "_"; one letter is too little for a keyword. */
function begins({ label, type }: Completion, written: string) {
  const plain = (text: string) => text.toLowerCase().replaceAll('"', "");
  const [name, begun] = [plain(label), plain(written)];
  if (type === "keyword") return begun.length > 1 && name.startsWith(begun);
  return name.startsWith(begun) || name.includes("_" + begun) || name.includes("." + begun);
}

/** The statement in which, or right behind which, a place is. */
export function statementAt(text: string, at: number) {
  const all = statementsOf(text);
  const found = all.findLast((s) => s.from <= at);
  if (found && at > found.to && found.text.endsWith(";")) return { text: text.slice(found.to, at), from: found.to };
  return found ? { text: text.slice(found.from, Math.max(found.to, at)), from: found.from } : { text, from: 0 };
}

function isWithinText(before: string) {
  const rest = before.replace(/--[^\n]*\n|\/\*[\s\S]*?\*\/|'(?:[^']|'')*'|"(?:[^"]|"")*"/g, " ");
  return rest.includes("'") || rest.includes("--") || rest.includes("/*");
}

function optionsAt(before: Token[], scope: Scope, data: Dataset, text: string, asked: boolean): Completion[] {
  const last = before.at(-1);
  if (is(last, ".")) return behindDot(before, scope, data);
  const values = valuesAt(before, scope);
  if (values.length) return values;
  if (is(last, "JOIN")) return [...joins(scope, data), ...tables(data, scope)];
  if (is(last, "FROM", "UPDATE", "INTO") || (is(last, ",") && inFrom(before))) return tables(data, scope);
  if (!asked) return [];
  const upper = writesUpper(text);
  return [
    ...columns(scope, data),
    ...scope.sources.filter((s) => s.alias).map((s) => ({ label: nameOf(s), type: "alias", detail: s.table?.name })),
    ...[...scope.given].map((name) => ({ label: name, type: "alias" })),
    ...Object.entries(functions).map(([name, args]) => ({
      label: name,
      detail: args,
      type: "function",
      apply: args === "()" ? `${name}()` : `${name}(`,
    })),
    ...(scope.sources.length === 0 ? tables(data, scope) : []),
    ...keywords.map((word) => ({ label: upper ? word.toUpperCase() : word, type: "keyword", boost: -10 })),
  ];
}

function tables(data: Dataset, scope: Scope): Completion[] {
  const common = data.tables.map((t) => ({
    label: t.sql_name,
    type: "table",
    detail: t.view ? "view" : t.rows === 1 ? "1 row" : `${t.rows.toLocaleString("en")} rows`,
    info: t.meaning,
    boost: 5,
  }));
  const schemas = new Set(data.tables.filter((t) => t.name.includes(".")).map((t) => t.name.split(".")[0]));
  return [
    ...common,
    ...[...schemas].map((name) => ({ label: name, type: "schema", apply: `${name}.` })),
    ...[...scope.given].map((name) => ({ label: name, type: "alias" })),
  ];
}

/** Tables that a foreign key leads to or from, with the condition and a short alias written out. */
function joins(scope: Scope, data: Dataset): Completion[] {
  const taken = new Set(scope.sources.map((s) => folded(nameOf(s))));
  const all: Completion[] = [];
  for (const source of scope.sources) {
    if (!source.table) continue;
    const add = (name: string, pairs: [here: string, there: string][]) => {
      const table = data.tables.find((t) => t.name === name);
      if (!table) return;
      const alias = aliasFor(table, taken);
      const on = pairs
        .map(([here, there]) => `${nameOf(source)}.${sqlName(source.table!, here)} = ${alias}.${sqlName(table, there)}`)
        .join(" AND ");
      const label = `${table.sql_name} ${alias} ON ${on}`;
      all.push({ label, type: "join", boost: 20 });
    };
    for (const relation of data.relations) {
      const { columns, referred } = relation;
      if (relation.from === source.table.name)
        add(
          relation.to,
          columns.map((c, i) => [c, referred[i]]),
        );
      if (relation.to === source.table.name && relation.from !== relation.to)
        add(
          relation.from,
          referred.map((c, i) => [c, columns[i]]),
        );
    }
  }
  return all;
}

const sqlName = (table: Table, column: string) => table.columns.find((c) => c.name === column)?.sql_name ?? column;

/** The columns of the statement's tables; one that several have is qualified. Without FROM, those of all tables. */
function columns(scope: Scope, data: Dataset): Completion[] {
  const sources: Source[] = scope.sources.filter((s) => s.table);
  if (!sources.length) {
    const all = new Map<string, Completion>();
    for (const t of data.tables)
      for (const c of t.columns) {
        const has = all.get(c.name);
        const detail = has ? `${has.detail}, ${t.name}` : t.name;
        all.set(c.name, { label: c.sql_name, type: "column", detail });
      }
    return [...all.values()];
  }
  const times = new Map<string, number>();
  for (const s of sources) for (const c of s.table!.columns) times.set(c.name, (times.get(c.name) ?? 0) + 1);
  return sources.flatMap((s) =>
    s.table!.columns.map((c) => {
      const shared = times.get(c.name)! > 1;
      return {
        ...column(c),
        label: shared ? `${nameOf(s)}.${c.sql_name}` : c.sql_name,
        detail: `${c.type}, ${s.table!.name}`,
        boost: 10,
        sortText: c.name,
      };
    }),
  );
}

const column = (c: Column): Completion => ({ label: c.sql_name, type: "column", detail: c.type, info: c.meaning });

function behindDot(before: Token[], scope: Scope, data: Dataset): Completion[] {
  const name = before.at(-2);
  if (!name) return [];
  const parts = is(before.at(-3), ".") && before.at(-4) ? [before.at(-4)!.text, name.text] : [name.text];
  const table = sourceOf(scope, name.text)?.table ?? tableOf(data, parts);
  if (table) return table.columns.map(column);
  const schema = folded(name.text) + ".";
  return data.tables
    .filter((t) => t.name.startsWith(schema))
    .map((t) => ({ label: bareName(t), type: "table", info: t.meaning }));
}

/** After a column and = or <>, or in its IN (...): its values, where it has only a few. */
function valuesAt(before: Token[], scope: Scope): Completion[] {
  let i = before.length - 1;
  if (is(before[i], "=", "<>", "!=")) i--;
  else {
    while (before[i]?.kind === "text" || is(before[i], ",")) i--;
    if (!is(before[i], "(") || !is(before[i - 1], "IN")) return [];
    i -= is(before[i - 2], "NOT") ? 3 : 2;
  }
  const name = before[i];
  if (!name) return [];
  const qualifier = is(before[i - 1], ".") ? before[i - 2] : undefined;
  const sources = qualifier ? [sourceOf(scope, qualifier.text)] : scope.sources;
  const found = sources.map((s) => s?.table && columnOf(s.table, name.text)).find((c) => c?.values);
  if (!found) return [];
  const number = /^(smallint|integer|bigint|real|double precision|numeric|boolean)/.test(found.type);
  return found.values!.map((value) => ({
    label: number ? value : `'${value.replaceAll("'", "''")}'`,
    type: "value",
    boost: 30,
  }));
}

function inFrom(before: Token[]) {
  const last = before.findLast((t) => is(t, "FROM", "SELECT", "WHERE", "BY", "ON", "HAVING", "("));
  return is(last, "FROM");
}

/** Whether keywords are written in capitals: as those are that are there. */
function writesUpper(text: string) {
  const words = tokensOf(text).filter((t) => t.kind === "keyword");
  const lower = words.filter((t) => t.text === t.text.toLowerCase()).length;
  return lower * 2 <= words.length;
}
