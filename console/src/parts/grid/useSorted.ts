import { useMemo, useState } from "react";
import type { Rows } from "../../api/client";
import { inOrder, type Column } from "./values";

export interface Sort {
  column: number;
  descending: boolean;
}

/** Rows as they are looked at: in the query's own order, or sorted by a column. */
export function useSorted(columns: Column[], rows: Rows) {
  const [sort, setSort] = useState<Sort | null>(null);
  const places = useMemo(() => {
    const all = rows.map((_, i) => i);
    if (!sort || sort.column >= columns.length) return all;
    const { column, descending } = sort;
    const compare = inOrder(columns[column].type, descending);
    return all.sort((a, b) => compare(rows[a][column], rows[b][column]) || a - b);
  }, [columns, rows, sort]);
  return {
    sort,
    places, // of the rows in the result, in the order in which they are shown
    /** Sorts by a column, then the other way round, then no more. */
    by: (column: number) =>
      setSort((now) =>
        now?.column !== column ? { column, descending: false } : now.descending ? null : { column, descending: true },
      ),
    own: () => setSort(null),
  };
}
