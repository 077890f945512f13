import { Button } from "antd";
import { useEffect, useRef } from "react";
import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { answer, api, type Schemas } from "../../api/client";
import { Waiting } from "../../parts/Waiting";
import { count } from "../../parts/words";

/** The dataset's tables and columns, slid over from the side. The paper behind it stays in use. */
export function TablesDrawer({ dataset, open, onClose }: { dataset: string; open: boolean; onClose: () => void }) {
  const tables = useQuery({
    queryKey: ["dataset", dataset],
    queryFn: () => answer(api.GET("/api/datasets/{dataset}", { params: { path: { dataset } } })),
    enabled: open,
  });
  const aside = useRef<HTMLElement>(null);
  useEffect(() => {
    if (open) aside.current?.focus();
  }, [open]);
  if (!open) return null;
  return (
    <aside ref={aside} className="tables-aside" aria-label="Tables" tabIndex={-1} onKeyDown={(event) => event.key === "Escape" && onClose()}>
      <div className="tables-aside-head">
        <h2>Tables</h2>
        <Button size="small" onClick={onClose}>
          Close
        </Button>
      </div>
      <p>
        <Link to={`/datasets/${dataset}`}>Full table descriptions</Link> · <Link to={`/datasets/${dataset}/map`}>Map</Link>
      </p>
      <Waiting query={tables}>{(data) => data.tables.map((table) => <TableColumns key={table.name} table={table} />)}</Waiting>
    </aside>
  );
}

function TableColumns({ table }: { table: Schemas["Table"] }) {
  return (
    <section className="table-columns">
      <h3>
        <code>{table.name}</code> <small>{count(table.rows, "row")}</small>
      </h3>
      {table.meaning && <p className="quiet">{table.meaning}</p>}
      <dl>
        {table.columns.map((column) => (
          <div key={column.name}>
            <dt>
              <code>{column.name}</code> <small>{said(column)}</small>
            </dt>
            {column.meaning && <dd className="quiet">{column.meaning}</dd>}
          </div>
        ))}
      </dl>
    </section>
  );
}

function said(column: Schemas["TableColumn"]) {
  return [column.type, column.key && "key", column.references && `refers to ${column.references}`, column.nullable && "may be NULL"].filter(Boolean).join(", ");
}
