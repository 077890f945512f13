import type { Finding, Rows } from "../../../api/client";
import { showsExpected } from "../../../parts/FindingNote";

/** The column that stands for all cells of a row. */
export const wholeRow = -1;

/** What findings say of one's own rows: of each row that they show, its cells by their columns. */
export function marksOf(findings: Finding[], rows: Rows): Map<number, Map<number, string>> {
  const marks = new Map<number, Map<number, string>>();
  const mark = (row: number, column: number, said: string) => {
    if (!marks.has(row)) marks.set(row, new Map());
    marks.get(row)!.set(column, said);
  };
  const places = new Map<string, number[]>();
  rows.forEach((row, i) => {
    const key = JSON.stringify(row);
    const alike = places.get(key);
    if (alike) alike.push(i);
    else places.set(key, [i]);
  });
  for (const finding of findings) {
    const evidence = finding.rows ?? [];
    if (finding.kind === "rows-missing") continue; // they are not among one's own
    for (const row of evidence) {
      if (finding.kind.startsWith("row-order")) mark(Number(row[0]) - 1, wholeRow, "out of order");
      else if (showsExpected(finding)) {
        const found = places.get(JSON.stringify(row.slice(0, -1))) ?? [];
        for (const at of found) mark(at, finding.places![0] - 1, `expected: ${row.at(-1) ?? "NULL"}`);
      } else for (const at of places.get(JSON.stringify(row)) ?? []) mark(at, wholeRow, "not expected");
    }
  }
  return marks;
}
