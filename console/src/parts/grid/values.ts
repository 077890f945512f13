import type { Rows, Schemas } from "../../api/client";

export type Column = Schemas["Column"];
export type Cell = string | null;

const numbers = /^(smallint|integer|bigint|real|double precision|numeric|oid)/;

/** Numbers stand to the right, and are sorted by their value. */
export const isNumber = (type = "") => numbers.test(type) && !type.endsWith("[]");

/** Booleans are shown as words. */
export function asShown(cell: Cell, type: string): Cell {
  return type === "boolean" && cell !== null ? (cell === "t" ? "true" : "false") : cell;
}

/** The order of two cells of a type; NULL comes last either way. */
export function inOrder(type: string, descending: boolean) {
  const sign = descending ? -1 : 1;
  const words = new Intl.Collator("en", { numeric: false });
  return (a: Cell, b: Cell): number => {
    if (a === null || b === null) return (a === null ? 1 : 0) - (b === null ? 1 : 0);
    if (a === b) return 0;
    return sign * (isNumber(type) ? byValue(a, b) : words.compare(a, b) || (a < b ? -1 : 1));
  };
}

/** NaN is the greatest number, as in PostgreSQL. Numbers that are equal as floats differ by their digits. */
function byValue(a: string, b: string) {
  const [x, y] = [Number(a), Number(b)];
  if (Number.isNaN(x) || Number.isNaN(y)) return Number(Number.isNaN(x)) - Number(Number.isNaN(y));
  if (x !== y) return x - y;
  if (/^-?\d+$/.test(a) && /^-?\d+$/.test(b)) return BigInt(a) < BigInt(b) ? -1 : 1;
  return 0;
}

/** The places of rows that are alike, by what they hold. */
export function placesOf(rows: Rows): Map<string, number[]> {
  const all = new Map<string, number[]>();
  rows.forEach((row, i) => {
    const key = keyOf(row);
    const alike = all.get(key);
    if (alike) alike.push(i);
    else all.set(key, [i]);
  });
  return all;
}

/** The key of a row in placesOf. */
export const keyOf = (row: Rows[number]) => JSON.stringify(row);

/** Part of a result, as places: both ends are within. */
export interface Block {
  top: number;
  bottom: number;
  left: number;
  right: number;
}

/** A block as tab-separated text. NULL is empty; what holds a tab, a line's end or a quote is quoted. */
export function tabbed(columns: Column[], rows: Rows, block: Block, withNames: boolean): string {
  const { top, bottom, left, right } = block;
  const field = (text: string) => (/[\t\n\r"]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text);
  const line = (cells: Cell[]) => cells.map((cell) => field(cell ?? "")).join("\t");
  const lines = rows
    .slice(top, bottom + 1)
    .map((row) => line(row.slice(left, right + 1).map((cell, i) => asShown(cell, columns[left + i].type))));
  if (withNames) lines.unshift(line(columns.slice(left, right + 1).map((c) => c.name)));
  return lines.join("\n");
}

/** What is shown of an empty text. */
export const emptyText = "empty text";

const perCharacter = 7.6; // pixels
const beside = 22;
const looked = 100; // rows at either end, by which widths are chosen

/** How wide columns are at first: as their names and their first and last cells ask for, within bounds. */
export function widthsOf(columns: Column[], rows: Rows): number[] {
  const seen = rows.length > 2 * looked ? [...rows.slice(0, looked), ...rows.slice(-looked)] : rows;
  return columns.map(({ name, type }, i) => {
    let longest = Math.max(name.length, type.length * 0.88, 4);
    for (const row of seen) longest = Math.max(longest, (asShown(row[i], type) ?? "NULL").length || emptyText.length);
    return Math.round(Math.min(Math.max(longest, 5) * perCharacter + beside, 380));
  });
}

/** A text that may be JSON, laid out over lines. */
export function laidOut(text: string, type: string): string {
  if (!type.startsWith("json")) return text;
  try {
    return JSON.stringify(JSON.parse(text), null, 2);
  } catch {
    return text; // it was cut
  }
}
