import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { bytes, count, milliseconds, points } from "../../parts/words";
import { InferredTables } from "./InferredTables";

/** What a job made. */
export function Report({ report }: { report: Schemas["JobReport"] }) {
  return (
    <>
      {report.datasets.map((d) => (
        <section key={d.dataset}>
          <h2>
            <Link to={`/datasets/${d.dataset}`}>{d.dataset}</Link>, build {d.build}
          </h2>
          <BuildDetails report={d} />
        </section>
      ))}
      {report.papers.length > 0 && (
        <>
          <h2>Papers</h2>
          <ul>
            {report.papers.map((p) => (
              <li key={p.slug}>
                <Link to={`/papers/${p.slug}`}>{p.title}</Link>: {count(p.exercises, "exercise")}, {points(p.points)}
              </li>
            ))}
          </ul>
        </>
      )}
    </>
  );
}

/** One build: what it holds, what was passed over, and advice. */
export function BuildDetails({ report }: { report: Schemas["BuildReport"] }) {
  return (
    <>
      <p>
        {count(report.tables, "table")}, {count(report.rows, "row")}
        {report.variants > 0 && `, ${count(report.variants, "variant")}`}, {bytes(report.bytes)} on disk, built in{" "}
        {milliseconds(report.elapsed_ms)}.
      </p>
      {report.broken && report.broken.length > 0 && (
        <Lines title="Reference answers that do not run on it" lines={report.broken} open />
      )}
      {report.advice && report.advice.length > 0 && <Lines title="Advice" lines={report.advice} open />}
      {report.inferred && report.inferred.length > 0 && <InferredTables tables={report.inferred} />}
      {report.passed_over && report.passed_over.length > 0 && (
        <Lines title="Skipped (does not affect the data)" lines={report.passed_over} code />
      )}
      {report.sizes && report.sizes.length > 0 && (
        <details>
          <summary>Rows and size of each table</summary>
          <table className="plain">
            <tbody>
              {report.sizes.map((t) => (
                <tr key={t.table}>
                  <th scope="row">
                    <code>{t.table}</code>
                  </th>
                  <td>{count(t.rows, "row")}</td>
                  <td>{bytes(t.bytes)}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </details>
      )}
    </>
  );
}

function Lines({ title, lines, code, open }: { title: string; lines: string[]; code?: boolean; open?: boolean }) {
  return (
    <details open={open && lines.length < 15}>
      <summary>
        {title} ({lines.length})
      </summary>
      <ul>
        {lines.map((line, i) => (
          <li key={i}>{code ? <code>{line}</code> : line}</li>
        ))}
      </ul>
    </details>
  );
}
