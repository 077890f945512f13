import { useState } from "react";
import { Button } from "./Button";
import type { Rows } from "../api/client";
import { CellValue } from "./grid/CellValue";
import { isNumber } from "./grid/values";
import { count } from "./words";

const firstRows = 100;

interface Props {
  columns: string[];
  types?: string[];
  rows: Rows;
  /** What is to be said of the cells of a column besides their values; they are marked by their shape, too. */
  marks?: Record<number, string>;
}

/** A few rows as a table. NULL is told apart from a text that says so. */
export function RowsTable({ columns, types, rows, marks = {} }: Props) {
  const [all, setAll] = useState(false);
  const shown = all ? rows : rows.slice(0, firstRows);
  return (
    <div className="rows" role="group" aria-label="Rows" tabIndex={0}>
      <table>
        <thead>
          <tr>
            {columns.map((name, i) => (
              <th key={i} scope="col" className={numeric(types?.[i])}>
                {name}
                {types && <small>{types[i]}</small>}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {shown.map((row, i) => (
            <tr key={i}>
              {row.map((cell, j) => (
                <td
                  key={j}
                  className={[cell === null && "null", numeric(types?.[j])].filter(Boolean).join(" ")}
                  data-mark={marks[j]}
                >
                  <CellValue cell={cell} type={types?.[j] ?? ""} />
                  {marks[j] && <span className="away"> ({marks[j]})</span>}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      {shown.length < rows.length && (
        <Button type="link" size="small" onClick={() => setAll(true)}>
          Show all {count(rows.length, "row")}
        </Button>
      )}
    </div>
  );
}

const numeric = (type?: string) => (isNumber(type) ? "number-cell" : undefined);
