import type { Diagnostic } from "@codemirror/lint";
import { functions } from "./functions";
import { statementsOf } from "./language";
import { columnOf, folded, nearest, tableOf, type Dataset } from "./schema";
import { is, nameOf, scopeOf, sourceOf, type Scope, type Token } from "./scope";

/** The names in a text that are no table and no column, but look like one. */
export function misspeltIn(text: string, dataset: Dataset): Diagnostic[] {
  return statementsOf(text).flatMap(({ text, from }) => {
    const scope = scopeOf(text, dataset);
    const all: Diagnostic[] = [];
    const note = (token: Token, what: string, names: Iterable<string>) => {
      const name = folded(token.text);
      const meant = nearest(name, names);
      if (meant && meant !== name)
        all.push({
          from: from + token.from,
          to: from + token.to,
          severity: "warning",
          message: `There is no ${what} ${name}. Did you mean ${meant}?`,
          actions: [
            {
              name: `Change to ${meant}`,
              apply: (view, at, end) => view.dispatch({ changes: { from: at, to: end, insert: meant } }),
            },
          ],
        });
    };
    const inSources = new Set(scope.sources.flatMap((s) => [...s.name, ...(s.alias ? [s.alias] : [])]));
    for (const { name, table } of scope.sources) {
      if (!table && name.length === 1 && !scope.given.has(folded(name[0].text)))
        note(name[0], "table", [...dataset.tables.map((t) => t.name), ...scope.given]);
    }
    const tables = scope.sources.map((s) => s.table);
    const whole = tables.length > 0 && tables.every(Boolean); // else it is not known what columns there are
    // Subqueries are not told apart, and behind ORDER BY and GROUP BY stand names of the result, too.
    const oneSelect =
      scope.tokens.filter((t) => is(t, "SELECT")).length === 1 && !scope.tokens.some((t) => is(t, "USING", "NATURAL"));
    let ordering = false;
    scope.tokens.forEach((token, i) => {
      if (is(token, "ORDER", "GROUP", "HAVING")) ordering = true;
      if (token.kind !== "name" || inSources.has(token)) return;
      const [before, after] = [scope.tokens[i - 1], scope.tokens[i + 1]];
      if (is(after, ".") || is(after, "(") || is(before, "AS", "::")) return;
      if (is(before, ".")) return qualified(scope, scope.tokens[i - 2], token, dataset, note);
      if (whole && oneSelect && !ordering) ambiguous(scope, token, from, all);
      if (!whole || isKnown(scope, folded(token.text))) return;
      note(
        token,
        "column",
        scope.sources.flatMap((s) => s.table!.columns.map((c) => c.name)),
      );
    });
    return all;
  });
}

/** Notes a column that several tables have, and offers it with each of their names. */
function ambiguous(scope: Scope, token: Token, from: number, all: Diagnostic[]) {
  const having = scope.sources.filter((s) => columnOf(s.table!, token.text));
  if (having.length < 2 || scope.given.has(folded(token.text))) return;
  const names = having.map((s) => `${nameOf(s)}.${token.text}`);
  all.push({
    from: from + token.from,
    to: from + token.to,
    severity: "warning",
    message: `Several tables have a column ${token.text}: say which is meant.`,
    actions: names.map((name) => ({
      name,
      apply: (view, at, end) => view.dispatch({ changes: { from: at, to: end, insert: name } }),
    })),
  });
}

function qualified(
  scope: Scope,
  qualifier: Token | undefined,
  token: Token,
  dataset: Dataset,
  note: (token: Token, what: string, names: Iterable<string>) => void,
) {
  if (!qualifier) return;
  const table = sourceOf(scope, qualifier.text)?.table ?? tableOf(dataset, [qualifier.text]);
  if (table && !columnOf(table, token.text))
    note(
      token,
      `column ${table.name}.`.trim(),
      table.columns.map((c) => c.name),
    );
}

function isKnown(scope: Scope, name: string) {
  return (
    scope.given.has(name) ||
    name in functions ||
    scope.sources.some((s) => folded(nameOf(s)) === name || columnOf(s.table!, `"${name.replaceAll('"', '""')}"`))
  );
}
