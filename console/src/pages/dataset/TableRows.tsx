import { Button, Checkbox, Input, Select } from "antd";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api, type Table } from "../../api/client";
import { RowsTable } from "../../parts/RowsTable";
import { Waiting } from "../../parts/Waiting";

const perPage = 50;

/** A table's rows, a page at a time, sorted and filtered. */
export function TableRows({ dataset, table }: { dataset: string; table: Table }) {
  const [sort, setSort] = useState("");
  const [descending, setDescending] = useState(false);
  const [column, setColumn] = useState("");
  const [value, setValue] = useState("");
  const [isNull, setIsNull] = useState(false);
  const [offset, setOffset] = useState(0);
  const filtered = column !== "" && (isNull || value !== "");
  const query = {
    sort,
    descending,
    offset,
    limit: perPage,
    ...(filtered ? { column, value: isNull ? "" : value, null: isNull } : {}),
  };
  const page = useQuery({
    queryKey: ["rows", dataset, table.name, query],
    queryFn: () =>
      answer(
        api.GET("/api/datasets/{dataset}/tables/{table}/rows", {
          params: { path: { dataset, table: table.name }, query },
        }),
      ),
    placeholderData: keepPreviousData,
  });
  const options = [{ value: "", label: "no column" }, ...table.columns.map((c) => ({ value: c.name, label: c.name }))];
  const first = (f: () => void) => {
    setOffset(0);
    f();
  };
  return (
    <div className="table-rows">
      <div className="filters">
        <span>Sort by</span>
        <Select
          size="small"
          aria-label="Sort by"
          value={sort}
          options={options}
          onChange={(v: string) => first(() => setSort(v))}
        />
        <Checkbox checked={descending} onChange={(e) => first(() => setDescending(e.target.checked))}>
          descending
        </Checkbox>
        <span>Filter: column</span>
        <Select
          size="small"
          aria-label="Filter by column"
          value={column}
          options={options}
          onChange={(v: string) => first(() => setColumn(v))}
        />
        <Input
          size="small"
          aria-label="equals"
          disabled={column === "" || isNull}
          value={value}
          onChange={(e) => first(() => setValue(e.target.value))}
          placeholder="equals"
        />
        <Checkbox disabled={column === ""} checked={isNull} onChange={(e) => first(() => setIsNull(e.target.checked))}>
          is NULL
        </Checkbox>
      </div>
      <Waiting query={page}>
        {(p) => (
          <>
            {p.rows.length === 0 ? (
              <p className="quiet">
                {column ? "No row fits. Choose another value, or no column." : "The table is empty."}
              </p>
            ) : (
              <RowsTable columns={p.columns.map((c) => c.name)} types={p.columns.map((c) => c.type)} rows={p.rows} />
            )}
            <div className="actions">
              <Button size="small" disabled={offset === 0} onClick={() => setOffset(Math.max(0, offset - perPage))}>
                Previous page
              </Button>
              <span className="quiet">
                {p.rows.length > 0 &&
                  `Rows ${(p.offset + 1).toLocaleString("en")} to ${(p.offset + p.rows.length).toLocaleString("en")}`}
              </span>
              <Button size="small" disabled={!p.more} onClick={() => setOffset(p.offset + p.rows.length)}>
                Next page
              </Button>
            </div>
          </>
        )}
      </Waiting>
    </div>
  );
}
