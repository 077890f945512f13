import type { Rows, Run } from "../../../api/client";
import { keyOf, placesOf, type Cell, type Column } from "../../../parts/grid/values";

/** One line of what differs between two results: a row that is gone or new, or one as it was and as it is. */
export interface Line {
  what: "gone" | "new" | "before" | "now";
  row: Cell[];
  /** The cells that differ, of a row as it was or is. */
  differ: number[];
}

export interface Compared {
  /** The columns that both results have. */
  columns: Column[];
  /** Those that only one has. */
  onlyBefore: string[];
  onlyNow: string[];
  lines: Line[];
  gone: number;
  new: number;
  different: number;
  same: number;
}

/** Pairs columns by their names; of several with one name the first with the first, and so on. */
function shared(before: Column[], now: Column[]) {
  const taken = new Set<number>();
  const pairs: [number, number][] = [];
  now.forEach((column, i) => {
    const at = before.findIndex((c, j) => c.name === column.name && !taken.has(j));
    if (at < 0) return;
    taken.add(at);
    pairs.push([at, i]);
  });
  return pairs;
}

/** What is new, gone and different between two results, whatever the order of their rows; repeated rows count. */
export function compared(before: Pick<Run, "columns" | "rows">, now: Pick<Run, "columns" | "rows">): Compared {
  const pairs = shared(before.columns, now.columns);
  const left = before.rows.map((row) => pairs.map(([i]) => row[i]));
  const right = now.rows.map((row) => pairs.map(([, i]) => row[i]));
  const waiting = placesOf(left);
  const added = right.filter((row) => waiting.get(keyOf(row))?.shift() === undefined);
  const gone = [...waiting.values()]
    .flat()
    .sort((a, b) => a - b)
    .map((i) => left[i]);
  const changed = paired(gone, added, pairs.length);
  const inChanged = new Set(changed.flat());
  const lines: Line[] = changed.flatMap(([a, b]): Line[] => {
    const differ = a.flatMap((cell, i) => (cell === b[i] ? [] : [i]));
    return [
      { what: "before", row: a, differ },
      { what: "now", row: b, differ },
    ];
  });
  const alone = (what: "gone" | "new", rows: Rows): Line[] =>
    rows.filter((row) => !inChanged.has(row)).map((row) => ({ what, row, differ: [] }));
  lines.push(...alone("gone", gone), ...alone("new", added));
  return {
    columns: pairs.map(([, i]) => now.columns[i]),
    onlyBefore: before.columns.filter((_, i) => !pairs.some(([at]) => at === i)).map((c) => c.name),
    onlyNow: now.columns.filter((_, i) => !pairs.some(([, at]) => at === i)).map((c) => c.name),
    lines,
    gone: gone.length - changed.length,
    new: added.length - changed.length,
    different: changed.length,
    same: right.length - added.length,
  };
}

/**
 * Rows that are gone with those that came in their place: such as have the same value in the column that tells rows
 * apart on both sides and pairs the most of them.
 */
function paired(gone: Rows, added: Rows, columns: number): [Cell[], Cell[]][] {
  let best: [Cell[], Cell[]][] = [];
  if (columns < 2) return best;
  for (let i = 0; i < columns; i++) {
    const before = byValue(gone, i);
    const now = byValue(added, i);
    if (!before || !now) continue;
    const pairs = [...now].flatMap(([value, row]): [Cell[], Cell[]][] => {
      const was = before.get(value);
      return was ? [[was, row]] : [];
    });
    if (pairs.length > best.length) best = pairs;
  }
  return best;
}

/** Rows by their value in a column; null where it does not tell them apart. */
function byValue(rows: Rows, column: number) {
  const all = new Map<string, Cell[]>();
  for (const row of rows) {
    const value = row[column];
    if (value === null || all.has(value)) return null;
    all.set(value, row);
  }
  return all;
}
