import type { Schemas } from "../../api/client";
import { count } from "../../parts/words";

/** The tables that CSV files make, with the types that all their values have. */
export function InferredTables({ tables, asks }: { tables: Schemas["InferredTable"][]; asks?: boolean }) {
  return (
    <>
      {asks && (
        <p>
          These tables will be created, with the keys and references shown. All values were examined; empty fields
          become NULL.
        </p>
      )}
      {tables.map((table) => (
        <section key={table.name} className="inferred">
          <h3>
            <code>{table.name}</code>{" "}
            <small>
              from {table.file}
              {table.sheet && `, sheet ${table.sheet}`}, {count(table.rows, "row")}
            </small>
          </h3>
          <div className="rows" role="group" aria-label={`Columns of ${table.name}`} tabIndex={0}>
            <table>
              <thead>
                <tr>
                  <th scope="col">column</th>
                  <th scope="col">type</th>
                  <th scope="col">in the file</th>
                  <th scope="col">key</th>
                  <th scope="col" className="number-cell">
                    nulls
                  </th>
                </tr>
              </thead>
              <tbody>
                {table.columns.map((c) => (
                  <tr key={c.name}>
                    <td>{c.name}</td>
                    <td>
                      {c.type}
                      {c.format && <small> ({c.format})</small>}
                    </td>
                    <td>{c.header}</td>
                    <td>{c.name === table.key ? "primary key" : c.references && `refers to ${c.references}`}</td>
                    <td className="number-cell">{c.nulls}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        </section>
      ))}
    </>
  );
}
