import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api, type Schemas } from "../../../api/client";
import { Button } from "../../../parts/Button";
import { ProblemNote } from "../../../parts/ProblemNote";
import { RowsTable } from "../../../parts/RowsTable";
import { useCall } from "../../../parts/useCall";
import { useInSight } from "../../../parts/useInSight";
import { Waiting } from "../../../parts/Waiting";
import { count } from "../../../parts/words";

interface Props {
  /** The number of the attempt. */
  attempt: string;
  /** The answer as it stands, which can be tried. */
  text: string;
  onClose(): void;
}

/** A few rows on which an attempt is wrong, and what the answer gives on them as it is changed. */
export function SmallestExample({ attempt, text, onClose }: Props) {
  const path = { attempt: Number(attempt) };
  const example = useQuery({
    queryKey: ["example", attempt],
    queryFn: () => answer(api.GET("/api/attempts/{attempt}/example", { params: { path } })),
    staleTime: Infinity,
    retry: false,
  });
  const part = useInSight(example.isPending);
  const [tried, setTried] = useState<Schemas["TriedExample"] & { sql: string }>();
  const { call, problem, busy } = useCall();
  const run = async () => {
    const sql = text;
    const came = await call(() =>
      answer(api.POST("/api/attempts/{attempt}/example", { params: { path }, body: { sql } })),
    );
    setTried(came && { ...came, sql });
  };
  return (
    <section ref={part} className="evidence example-rows" aria-label="The smallest example">
      <div className="tools-line">
        <h3>The smallest example</h3>
        <Button size="small" onClick={onClose}>
          Close
        </Button>
      </div>
      <Waiting query={example}>
        {(found) =>
          found.tables.length === 0 ? (
            <p className="quiet">No example was found in a few rows, or the exercise shows no expected rows.</p>
          ) : (
            <>
              <p>{found.sentence}</p>
              <div className="example-tables">
                {found.tables.map((table) => (
                  <Part key={table.name} heading={table.name} rows={table} />
                ))}
              </div>
              <p className="actions">
                <Button size="small" loading={busy} onClick={() => void run()}>
                  Run my answer on these rows
                </Button>
                {tried?.sql === text && !tried.error && (
                  <span role="status">
                    {tried.right ? "Right on these rows ✓ Submit it to have it checked on all." : "Not yet right ✗"}
                  </span>
                )}
              </p>
              {problem && <ProblemNote problem={problem} />}
              {tried?.error && <ProblemNote problem={tried.error} />}
              <div className="example-tables">
                {!tried?.error && (
                  <Part
                    heading={
                      !tried ? "Your query gives" : tried.sql === text ? "Your answer now gives" : "Your answer gave"
                    }
                    rows={tried ? tried.got : found.got}
                  />
                )}
                <Part heading="Expected" rows={found.expected} />
              </div>
            </>
          )
        }
      </Waiting>
    </section>
  );
}

function Part({ heading, rows }: { heading: string; rows: Schemas["TableRows"] }) {
  return (
    <div>
      <h4>
        {heading} <small>{count(rows.rows.length, "row")}</small>
      </h4>
      <RowsTable columns={rows.columns.map((c) => c.name)} types={rows.columns.map((c) => c.type)} rows={rows.rows} />
    </div>
  );
}
