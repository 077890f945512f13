import { Suspense, useEffect, useEffectEvent, useLayoutEffect, useRef, useState } from "react";
import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { Button } from "../../parts/Button";
import { answer, api, type Schemas } from "../../api/client";
import { lazily } from "../../parts/lazily";
import { Waiting } from "../../parts/Waiting";
import { count } from "../../parts/words";
import { writing } from "../../work/writing";

const PickingMap = lazily(() => import("../map/PickingMap").then((m) => m.PickingMap));

interface Props {
  dataset: string;
  dark: boolean;
  open: boolean;
  onClose(): void;
}

/** The dataset's tables and columns, at the side. The page makes room for it, and stays in use. */
export function TablesDrawer({ dataset, dark, open, onClose }: Props) {
  const [onMap, setOnMap] = useState(false);
  const tables = useQuery({
    queryKey: ["dataset", dataset],
    queryFn: () => answer(api.GET("/api/datasets/{dataset}", { params: { path: { dataset } } })),
    enabled: open,
  });
  const aside = useRef<HTMLElement>(null);
  const close = useEffectEvent(onClose);
  useEffect(() => {
    const element = aside.current;
    if (!open || !element) return;
    element.focus({ preventScroll: true });
    const leave = (event: KeyboardEvent) => {
      if (event.key === "Escape") close();
    };
    element.addEventListener("keydown", leave);
    return () => element.removeEventListener("keydown", leave);
  }, [open]);
  useLayoutEffect(() => {
    document.body.dataset.aside = open ? (onMap ? "map" : "list") : ""; // it makes room
    return () => void delete document.body.dataset.aside;
  }, [open, onMap]);
  if (!open) return null;
  return (
    <aside ref={aside} className={onMap ? "tables-aside wide" : "tables-aside"} aria-label="Tables" tabIndex={-1}>
      <div className="tables-aside-head">
        <h2>Tables</h2>
        <Button size="small" aria-pressed={onMap} onClick={() => setOnMap(!onMap)}>
          {onMap ? "As a list" : "As a map"}
        </Button>
        <Button size="small" onClick={onClose}>
          Close
        </Button>
      </div>
      <p className="quiet">A click on a name writes it where you last wrote.</p>
      <p>
        <Link to={`/datasets/${dataset}`}>Full table descriptions</Link> ·{" "}
        <Link to={`/datasets/${dataset}/map`}>Map on a page of its own</Link>
      </p>
      {onMap ? (
        <Suspense fallback={<p className="quiet">Loading …</p>}>
          <PickingMap dataset={dataset} dark={dark} onPick={(name) => writing.insert(name)} />
        </Suspense>
      ) : (
        <Waiting query={tables}>
          {(data) => data.tables.map((table) => <TableColumns key={table.name} table={table} />)}
        </Waiting>
      )}
    </aside>
  );
}

function TableColumns({ table }: { table: Schemas["Table"] }) {
  return (
    <section className="table-columns">
      <h3>
        <Insert does={`Write ${table.name}`} text={table.sql_name}>
          {table.name}
        </Insert>{" "}
        <small>{count(table.rows, "row")}</small>
      </h3>
      <p className="writes">
        <Insert
          does={`Write a query for the first rows of ${table.name}`}
          text={`SELECT * FROM ${table.sql_name} LIMIT 10;`}
        >
          first rows
        </Insert>
        <Insert does={`Write a query that counts ${table.name}`} text={`SELECT count(*) FROM ${table.sql_name};`}>
          count
        </Insert>
        <Insert does={`Write a query for all columns of ${table.name}`} text={allColumns(table)}>
          all columns
        </Insert>
      </p>
      {table.meaning && <p className="quiet">{table.meaning}</p>}
      <dl>
        {table.columns.map((column) => (
          <div key={column.name}>
            <dt>
              <Insert does={`Write ${column.name}`} text={column.sql_name}>
                {column.name}
              </Insert>{" "}
              <small>{said(column)}</small>
            </dt>
            {column.meaning && <dd className="quiet">{column.meaning}</dd>}
          </div>
        ))}
      </dl>
    </section>
  );
}

/** Writes a text into the answer space that is used. */
function Insert({ does, text, children }: { does: string; text: string; children: string }) {
  return (
    <button type="button" className="insert" title={does} onClick={() => writing.insert(text)}>
      <code>{children}</code>
    </button>
  );
}

function allColumns(table: Schemas["Table"]) {
  return `SELECT ${table.columns.map((c) => c.sql_name).join(", ")}\nFROM ${table.sql_name};`;
}

function said(column: Schemas["TableColumn"]) {
  return [
    column.type,
    column.key && "key",
    column.references && `refers to ${column.references}`,
    column.nullable && "may be NULL",
  ]
    .filter(Boolean)
    .join(", ");
}
