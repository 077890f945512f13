import { useMemo, useState } from "react";
import type { Rows, Run } from "../../../api/client";
import { Grid } from "../../../parts/grid/Grid";
import type { Column } from "../../../parts/grid/values";
import { count, moment } from "../../../parts/words";
import { compared, type Compared } from "./compared";

const words = { gone: "gone", new: "new", before: "before", now: "now" };

/** A result beside that of an earlier run of the same answer space. */
export function Comparison({ run, rows, earlier }: { run: Run; rows: Rows; earlier: Run[] }) {
  const [chosen, setChosen] = useState(earlier[0].id);
  const [beside, setBeside] = useState(false);
  const before = earlier.find((r) => r.id === chosen) ?? earlier[0];
  const result = useMemo(() => compared(before, { columns: run.columns, rows }), [before, run, rows]);
  const cut = before.rows.length < before.row_count || rows.length < run.row_count;
  return (
    <section className="comparison" aria-label="Comparison with an earlier run">
      <p>
        <label>
          Compare with{" "}
          <select className="look" value={before.id} onChange={(event) => setChosen(event.target.value)}>
            {earlier.map((r) => (
              <option key={r.id} value={r.id}>
                {moment(r.at)}, {count(r.row_count, "row")}: {r.sql.replace(/\s+/g, " ").trim().slice(0, 70)}
              </option>
            ))}
          </select>
        </label>{" "}
        <label>
          <input type="radio" checked={!beside} onChange={() => setBeside(false)} /> What differs
        </label>{" "}
        <label>
          <input type="radio" checked={beside} onChange={() => setBeside(true)} /> Side by side
        </label>
      </p>
      <p role="status">
        Before: {count(before.row_count, "row")}; now: {count(run.row_count, "row")}. {inWords(result)}
        {cut && " Compared are the rows that are shown."}
      </p>
      {beside ? (
        <div className="beside">
          <div>
            <h3>Before</h3>
            <Grid key={before.id} label="Rows before" columns={before.columns} rows={before.rows} />
          </div>
          <div>
            <h3>Now</h3>
            <Grid label="Rows now" columns={run.columns} rows={rows} />
          </div>
        </div>
      ) : (
        result.lines.length > 0 && <Differences key={before.id} result={result} />
      )}
    </section>
  );
}

const what: Column = { name: "row", type: "" };

function Differences({ result }: { result: Compared }) {
  const { lines, columns } = result;
  return (
    <Grid
      label="What differs"
      columns={[what, ...columns]}
      rows={lines.map((line) => [words[line.what], ...line.row])}
      mark={(row, column) =>
        lines[row].differ.includes(column - 1) ? `differs, ${words[lines[row].what]}` : undefined
      }
    />
  );
}

function inWords(result: Compared) {
  const { gone, new: added, different, same, onlyBefore, onlyNow, columns } = result;
  const said = [];
  if (onlyBefore.length) said.push(`Only before there ${are(onlyBefore)}.`);
  if (onlyNow.length) said.push(`Only now there ${are(onlyNow)}.`);
  if (!columns.length) return [...said, "No column is in both, so rows are not compared."].join(" ");
  if (onlyBefore.length || onlyNow.length) said.push("Compared by the columns that both have:");
  said.push(
    gone + added + different === 0
      ? "all rows are the same."
      : `${count(gone, "row")} gone, ${added} new, ${different} different, ${same} the same.`,
  );
  return said.join(" ");
}

const are = (names: string[]) =>
  names.length === 1 ? `is the column ${names[0]}` : `are the columns ${names.join(", ")}`;
