import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { problemOf, sendRoster, type Problem, type Schemas } from "../../api/client";
import { Button } from "../../parts/Button";
import { ProblemNote } from "../../parts/ProblemNote";
import { useTitle } from "../../parts/useTitle";
import { count } from "../../parts/words";
import { Slips } from "../course/Slips";
import { RosterColumns } from "./RosterColumns";
import { RosterLines } from "./RosterLines";

type Preview = Schemas["RosterPreview"];

/** Imports the people of a course from a file: what it would do is shown first, and nothing is done before. */
export function ImportPage() {
  const { course = "" } = useParams();
  useTitle("Import a roster");
  const queries = useQueryClient();
  const [files, setFiles] = useState<File[]>([]);
  const [encoding, setEncoding] = useState("");
  const [columns, setColumns] = useState<Record<string, string>>({});
  const [only, setOnly] = useState("");
  const [preview, setPreview] = useState<Preview | null>(null);
  const [done, setDone] = useState<Schemas["ImportedRoster"] | null>(null);
  const [problem, setProblem] = useState<Problem | null>(null);
  const [leaveOut, setLeaveOut] = useState(false);
  const options = (now: { columns?: Record<string, string>; encoding?: string; only?: string } = {}) => {
    const query = new URLSearchParams();
    const { columns: chosen, encoding: as, only: one } = { columns, encoding, only, ...now };
    if (as) query.set("encoding", as);
    if (one) query.set("class", one);
    for (const [field, header] of Object.entries(chosen)) if (header) query.append("column", `${field}=${header}`);
    return query;
  };
  async function look(chosen: File[], query = options()) {
    setProblem(null);
    setDone(null);
    try {
      setPreview(await sendRoster<Preview>(`/api/courses/${course}/roster/preview?${query}`, chosen));
    } catch (error) {
      setPreview(null);
      setProblem(problemOf(error));
    }
  }
  async function take() {
    const query = options();
    query.set("digest", preview!.digest);
    if (leaveOut) query.set("leave_out", "true");
    try {
      setDone(await sendRoster<Schemas["ImportedRoster"]>(`/api/courses/${course}/roster?${query}`, files));
      setPreview(null);
      void queries.invalidateQueries({ queryKey: ["course", course] });
    } catch (error) {
      setProblem(problemOf(error));
    }
  }
  const nothing = preview !== null && preview.new + preview.changed === 0;
  return (
    <section className="page wide import">
      <h1>Import a roster</h1>
      <p>
        <Link to={`/courses/${course}`}>Back to the course</Link>
      </p>
      <p className="quiet">
        A table with a line for each person, as CSV or XLSX: login, name (or given name and family name), e-mail, group,
        role, in any order. The CSV files of the open roster standard are read, too: users.csv, classes.csv and
        enrollments.csv, or a ZIP file of them.
      </p>
      <p className="actions">
        <label>
          Files{" "}
          <input
            type="file"
            multiple
            accept=".csv,.txt,.xlsx,.zip"
            onChange={(event) => {
              const chosen = [...(event.target.files ?? [])];
              event.target.value = ""; // the same file, changed, can be chosen again
              setFiles(chosen);
              setColumns({});
              if (chosen.length > 0) void look(chosen, options({ columns: {} }));
            }}
          />
        </label>
        {files.length > 0 && <strong>{files.map((file) => file.name).join(", ")}</strong>}
        <label>
          Encoding{" "}
          <select
            value={encoding}
            onChange={(event) => {
              setEncoding(event.target.value);
              if (files.length > 0) void look(files, options({ encoding: event.target.value }));
            }}
          >
            <option value="">UTF-8</option>
            <option value="WIN1252">Windows, western (1252)</option>
            <option value="WIN1250">Windows, central European (1250)</option>
            <option value="WIN1251">Windows, Cyrillic (1251)</option>
            <option value="LATIN1">ISO 8859-1</option>
          </select>
        </label>
      </p>
      {problem && <ProblemNote problem={problem} />}
      {preview && (
        <>
          <RosterColumns
            preview={preview}
            columns={columns}
            only={only}
            onChange={(chosen) => {
              setColumns(chosen);
              void look(files, options({ columns: chosen }));
            }}
            onOnly={(one) => {
              setOnly(one);
              void look(files, options({ only: one }));
            }}
          />
          <p role="status">
            <strong>
              {preview.new} new, {preview.changed} changed, {preview.same} the same, {preview.wrong} wrong.
            </strong>{" "}
            {preview.left_out > 0 && `${count(preview.left_out, "line")} of the files left out: not of the course. `}
            {preview.absent.length > 0 &&
              `${count(preview.absent.length, "learner")} of the course not in the file: they stay.`}
          </p>
          <RosterLines lines={preview.lines} />
          {preview.wrong > 0 && (
            <label className="check">
              <input type="checkbox" checked={leaveOut} onChange={(event) => setLeaveOut(event.target.checked)} /> Leave
              the {count(preview.wrong, "wrong line")} out
            </label>
          )}
          <p className="actions">
            <Button type="primary" disabled={nothing || (preview.wrong > 0 && !leaveOut)} onClick={() => void take()}>
              Import {preview.new + preview.changed}
            </Button>
            <span className="quiet">{nothing ? "There is nothing to import." : "Nothing has been done yet."}</span>
          </p>
        </>
      )}
      {done && (
        <p role="status">
          <strong>
            Done: {done.preview.new} added, {done.preview.changed} changed.
          </strong>
        </p>
      )}
      {done && done.added.length > 0 && (
        <Slips
          course={course}
          slips={done.added.map((a) => ({ ...a.member, password: a.password ?? "", until: a.until }))}
          onClose={() => setDone(null)}
        />
      )}
    </section>
  );
}
