import { Button } from "antd";
import { useState } from "react";
import type { Rows } from "../api/client";
import { count } from "./words";

const firstRows = 100;

/** Rows as a table. NULL is told apart from a text that says so. */
export function RowsTable({ columns, types, rows }: { columns: string[]; types?: string[]; rows: Rows }) {
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
              {row.map((cell, j) =>
                cell === null ? (
                  <td key={j} className={`null ${numeric(types?.[j]) ?? ""}`}>
                    NULL
                  </td>
                ) : (
                  <td key={j} className={numeric(types?.[j])}>
                    {cell}
                  </td>
                ),
              )}
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

/** Numbers stand to the right. */
function numeric(type = "") {
  return /^(smallint|integer|bigint|real|double precision|numeric)/.test(type) ? "number-cell" : undefined;
}
