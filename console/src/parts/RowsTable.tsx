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
    <div className="rows">
      <table>
        <thead>
          <tr>
            {columns.map((name, i) => (
              <th key={i} scope="col">
                {name}
                {types && <small>{types[i]}</small>}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {shown.map((row, i) => (
            <tr key={i}>
              {row.map((cell, j) => (cell === null ? <td key={j} className="null">NULL</td> : <td key={j}>{cell}</td>))}
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
