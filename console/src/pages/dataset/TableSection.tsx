import { useState } from "react";
import { Link } from "react-router";
import { Button } from "../../parts/Button";
import type { Dataset, Table } from "../../api/client";
import { SqlView } from "../../parts/sql/SqlView";
import { count } from "../../parts/words";
import { TableRows } from "./TableRows";

/** All that is known of one table. */
export function TableSection({ dataset, table }: { dataset: Dataset; table: Table }) {
  const [rows, setRows] = useState(false);
  const rules = (table.constraints ?? []).filter((k) => k.kind !== "foreign key");
  const relations = dataset.relations.flatMap((r) => [
    ...(r.from === table.name ? [r.outward] : []),
    ...(r.to === table.name ? [r.inward] : []),
  ]);
  return (
    <section className="table-section" id={table.name}>
      <h2>
        <code>{table.name}</code>{" "}
        <small>
          {[table.view && "a view", table.rows >= 0 && count(table.rows, "row")].filter(Boolean).join(", ")}
        </small>
      </h2>
      {table.meaning && <p>{table.meaning}</p>}
      <Columns dataset={dataset} table={table} />
      <Sentences title="Relations" lines={relations} />
      <Sentences title="Constraints" lines={rules.map((k) => k.words)} />
      <Sentences
        title="Indexes"
        lines={(table.indexes ?? []).map((i) => `${i.name}: ${i.unique ? "unique " : ""}${i.definition}`)}
        code
      />
      {table.query && <SqlView label={`Query of the view ${table.name}`} text={table.query.trim()} />}
      <div className="actions">
        <Button size="small" onClick={() => setRows(!rows)} aria-expanded={rows}>
          {rows ? "Hide the rows" : "Show the rows"}
        </Button>
        {!table.view && (
          <Link to={`/datasets/${dataset.name}/map?table=${encodeURIComponent(table.name)}`}>
            On the map, with its neighbours
          </Link>
        )}
      </div>
      {rows && <TableRows dataset={dataset.name} table={table} />}
    </section>
  );
}

function Columns({ dataset, table }: { dataset: Dataset; table: Table }) {
  return (
    <div className="rows columns" role="group" aria-label={`Columns of ${table.name}`} tabIndex={0}>
      <table>
        <thead>
          <tr>
            {["column", "type", "constraints", "meaning", "examples"].map((title, i) => (
              <th key={i} scope="col">
                {title}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {table.columns.map((c) => (
            <tr key={c.name}>
              <th scope="row">{c.name}</th>
              <td>{c.type}</td>
              <td>
                {c.key && <span>key </span>}
                {c.references && (
                  <span>
                    refers to{" "}
                    <Link to={`/datasets/${dataset.name}#${encodeURIComponent(tableOf(dataset, c.references))}`}>
                      {c.references}
                    </Link>{" "}
                  </span>
                )}
                {c.nullable && <span>may be NULL </span>}
                {c.default && <span>default {c.default}</span>}
              </td>
              <td className="meaning">{c.meaning}</td>
              <td>{(c.examples ?? []).join(", ")}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

/** The table in "table.column"; a table's name may hold dots itself. */
function tableOf(dataset: Dataset, references: string) {
  return dataset.tables.find((t) => references.startsWith(t.name + "."))?.name ?? references;
}

function Sentences({ title, lines, code }: { title: string; lines: string[]; code?: boolean }) {
  if (lines.length === 0) return null;
  return (
    <div className="sentences">
      <h3>{title}</h3>
      <ul>
        {lines.map((line) => (
          <li key={line}>{code ? <code>{line}</code> : line}</li>
        ))}
      </ul>
    </div>
  );
}
