import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api, problemOf } from "../../api/client";
import { Button } from "../../parts/Button";
import { count } from "../../parts/words";

/** Clears one's runs, after asking; attempts, and what is kept, stay. */
export function ClearRuns({ paper, exercise }: { paper?: string; exercise?: string }) {
  const queries = useQueryClient();
  const [asking, setAsking] = useState(false);
  const [said, setSaid] = useState("");
  const clear = async () => {
    setAsking(false);
    try {
      const { runs } = await answer(api.DELETE("/api/history", { params: { query: { paper, exercise } } }));
      setSaid(`${count(runs, "run")} cleared.`);
      await queries.invalidateQueries({ queryKey: ["history"] });
    } catch (error) {
      setSaid(`Not cleared: ${problemOf(error).title}.`);
    }
  };
  return (
    <>
      {asking ? (
        <span role="alertdialog" aria-label="Clear the runs">
          Clear your runs{exercise ? " of this exercise" : paper ? " of this paper" : ""}? What you submitted, and what
          you keep, stays.{" "}
          <Button size="small" autoFocus onClick={() => void clear()}>
            Clear them
          </Button>{" "}
          <Button size="small" onClick={() => setAsking(false)}>
            Leave them
          </Button>
        </span>
      ) : (
        <Button size="small" onClick={() => setAsking(true)}>
          Clear my runs …
        </Button>
      )}
      <span className="quiet" role="status">
        {said}
      </span>
    </>
  );
}
