import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { answer, api, problemOf, type Schemas } from "../../api/client";
import { Button } from "../../parts/Button";
import { SqlView } from "../../parts/sql/SqlView";

type Found = Schemas["FoundExercise"];

/** An exercise of the bank: where it is, what it is about, how learners fared, and a way to copy it. */
export function FoundItem({ found }: { found: Found }) {
  const about = [...found.tables, ...found.constructs.filter((c) => !c.startsWith("function:"))].join(", ");
  return (
    <li>
      <h2>{found.title}</h2>
      <p>
        {found.in.map((at, i) => (
          <span key={`${at.paper} ${at.exercise}`}>
            {i > 0 && "; "}
            <Link to={`/papers/${at.paper}#${at.exercise}`}>
              {at.paper_title}, exercise {at.number}
            </Link>
          </span>
        ))}
        . {record(found)}
      </p>
      <p className="quiet">
        {found.dataset}: {about}. Result: {found.columns.join(", ")}.{" "}
        {found.in[0]?.strength && <>Strength: {found.in[0].strength.sentence}</>}
      </p>
      <details>
        <summary>Accepted answer</summary>
        <SqlView label={`Accepted answer of ${found.title}`} text={found.reference_answer} />
      </details>
      <CopyInto found={found} />
    </li>
  );
}

/** How many solved it, and in how many attempts. */
function record({ learners, solved, attempts, solved_attempts: solving }: Found) {
  if (learners === 0) return "No learner has tried it yet.";
  const each = solved ? `, in ${(solving / solved).toFixed(1)} attempts each` : "";
  return `${solved} of ${learners} learners have solved it${each}; ${attempts} attempts in all.`;
}

/** Copies an exercise to the end of a paper. */
function CopyInto({ found }: { found: Found }) {
  const [open, setOpen] = useState(false);
  const [said, setSaid] = useState("");
  const [into, setInto] = useState("");
  const papers = useQuery({ queryKey: ["papers"], queryFn: () => answer(api.GET("/api/papers")), enabled: open });
  const fitting = papers.data?.filter((paper) => paper.dataset === found.dataset) ?? [];
  const paper = into || fitting[0]?.slug;
  async function copy() {
    const from = found.in[0];
    try {
      await answer(
        api.POST("/api/papers/{paper}/writing/parts", {
          params: { path: { paper } },
          body: { paper: from.paper, exercise: from.exercise },
        }),
      );
      setSaid("It is at the end of the paper, to be published.");
      setOpen(false);
    } catch (error) {
      setSaid(problemOf(error).detail);
    }
  }
  if (!open)
    return (
      <p>
        <Button size="small" aria-label={`Copy into a paper …: ${found.title}`} onClick={() => setOpen(true)}>
          Copy into a paper …
        </Button>{" "}
        <span role="status">
          {said} {said && paper && <Link to={`/papers/${paper}/write`}>Go there</Link>}
        </span>
      </p>
    );
  return (
    <p className="actions">
      <label>
        Into{" "}
        <select value={paper ?? ""} onChange={(event) => setInto(event.target.value)}>
          {fitting.map((p) => (
            <option key={p.slug} value={p.slug}>
              {p.title}
            </option>
          ))}
        </select>
      </label>
      <Button size="small" disabled={!paper} onClick={() => void copy()}>
        Copy
      </Button>
      <Button size="small" onClick={() => setOpen(false)}>
        Leave it
      </Button>
    </p>
  );
}
