import { useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { answer, api, problemOf, type Entry } from "../../api/client";
import { Button } from "../../parts/Button";

/** Keeps an entry under a name, or no longer; a run can be cleared. */
export function Keep({ entry }: { entry: Entry }) {
  const queries = useQueryClient();
  const [naming, setNaming] = useState(false);
  const [name, setName] = useState(entry.name ?? "");
  const [said, setSaid] = useState("");
  const path = { entry: entry.id };
  const done = async (call: Promise<unknown>) => {
    try {
      await call;
      setNaming(false);
      setSaid("");
      await queries.invalidateQueries({ queryKey: ["history"] });
    } catch (error) {
      const problem = problemOf(error);
      setSaid(`${problem.title}. ${problem.detail}`);
    }
  };
  const keep = (kept: boolean) =>
    done(answer(api.PUT("/api/history/{entry}", { params: { path }, body: { kept, name: kept ? name : undefined } })));
  if (naming)
    return (
      <form
        className="keep"
        onSubmit={(event: FormEvent) => {
          event.preventDefault();
          void keep(true);
        }}
      >
        <label>
          Name (or none) <input value={name} maxLength={200} onChange={(event) => setName(event.target.value)} />
        </label>{" "}
        <Button size="small" htmlType="submit">
          Keep
        </Button>{" "}
        <Button size="small" onClick={() => setNaming(false)}>
          Cancel
        </Button>
        <span role="status">{said}</span>
      </form>
    );
  return (
    <>
      <Button size="small" onClick={() => setNaming(true)}>
        {entry.kept ? "Rename" : "Keep"}
      </Button>{" "}
      {entry.kept && (
        <Button size="small" onClick={() => void keep(false)}>
          Keep no longer
        </Button>
      )}{" "}
      {entry.kind === "run" && !entry.kept && (
        <Button
          size="small"
          onClick={() => void done(answer(api.DELETE("/api/history/{entry}", { params: { path } })))}
        >
          Clear
        </Button>
      )}
      <span role="status">{said}</span>
    </>
  );
}
