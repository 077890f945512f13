import type { Finding, Rows } from "../../../api/client";
import { ownCell, showsExpected } from "../../../parts/FindingNote";
import { keyOf, placesOf } from "../../../parts/grid/values";

/** The column that stands for all cells of a row. */
export const wholeRow = -1;

/** What is wrong with rows of one's own that a finding of a kind shows. Those of other kinds are not one's own. */
const wrong: Record<string, string> = {
  "rows-extra": "not expected",
  "rows-repeated": "comes too often",
  "rows-multiplied": "comes too often",
  "duplicates-removed": "should come more often",
};

/** What findings say of one's own rows: of each row that they show, its cells by their columns. */
export function marksOf(findings: Finding[], rows: Rows): Map<number, Map<number, string>> {
  const marks = new Map<number, Map<number, string>>();
  const mark = (row: number, column: number, said: string) => {
    if (!marks.has(row)) marks.set(row, new Map());
    marks.get(row)!.set(column, said);
  };
  const places = placesOf(rows);
  for (const finding of findings) {
    const evidence = finding.rows ?? [];
    if (finding.kind.startsWith("row-order")) {
      if (evidence.length) mark(Number(evidence[0][0]) - 1, wholeRow, "the first that is out of order");
    } else if (showsExpected(finding)) {
      const column = finding.places![0] - 1;
      evidence.forEach((row, i) => {
        const said = `expected: ${row.at(-1) ?? "NULL"}`;
        const whole = places.get(keyOf(row.slice(0, -1)));
        for (const at of whole ?? []) mark(at, column, said);
        // Of several columns only that one is shown: rows are then compared as they stand.
        if (!whole && rows[i]?.[column] === row[ownCell(finding)]) mark(i, column, said);
      });
    } else if (wrong[finding.kind]) {
      for (const row of evidence)
        for (const at of places.get(keyOf(row)) ?? []) mark(at, wholeRow, wrong[finding.kind]);
    }
  }
  return marks;
}
