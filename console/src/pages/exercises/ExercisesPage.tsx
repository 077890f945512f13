import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useSearchParams } from "react-router";
import { answer, api } from "../../api/client";
import { useTitle } from "../../parts/useTitle";
import { Waiting } from "../../parts/Waiting";
import { count } from "../../parts/words";
import { FoundItem } from "./FoundItem";

const fields = [
  { key: "text", label: "Text", hint: "in the task or the answer" },
  { key: "dataset", label: "Dataset", hint: "apiary" },
  { key: "table", label: "Table", hint: "hive" },
  { key: "construct", label: "Construct", hint: "group-by" },
  { key: "column", label: "Column of the result", hint: "weight" },
];

const pause = 300; // milliseconds after the last key

/** The exercises of all published papers, found by what they are about, with how learners fared. */
export function ExercisesPage() {
  useTitle("Exercises");
  const [search, setSearch] = useSearchParams();
  const [typed, setTyped] = useState(() => Object.fromEntries(search));
  useEffect(() => {
    const timer = setTimeout(
      () => setSearch(Object.fromEntries(Object.entries(typed).filter(([, v]) => v.trim())), { replace: true }),
      pause,
    );
    return () => clearTimeout(timer);
  }, [typed, setSearch]);
  const query = Object.fromEntries(search);
  const found = useQuery({
    queryKey: ["exercises", search.toString()],
    queryFn: () => answer(api.GET("/api/exercises", { params: { query } })),
    placeholderData: (before) => before,
  });
  return (
    <section className="page exercises">
      <h1>Exercises</h1>
      <form className="filters" role="search" onSubmit={(event) => event.preventDefault()}>
        {fields.map(({ key, label, hint }) => (
          <label key={key}>
            {label}{" "}
            <input
              type="search"
              value={typed[key] ?? ""}
              placeholder={hint}
              onChange={(event) => setTyped({ ...typed, [key]: event.target.value })}
            />
          </label>
        ))}
      </form>
      <Waiting query={found}>
        {(list) => (
          <>
            <p className="quiet" role="status">
              {list.length === 0 ? "No exercise of a published paper fits." : `${count(list.length, "exercise")}.`}
            </p>
            <ul className="found">
              {list.map((exercise) => (
                <FoundItem key={`${exercise.dataset} ${exercise.reference_answer}`} found={exercise} />
              ))}
            </ul>
          </>
        )}
      </Waiting>
    </section>
  );
}
