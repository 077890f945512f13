import { useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { answer, api, problemOf } from "../../api/client";
import { Button } from "../../parts/Button";
import type { OwnText, ToTry } from "./TryPage";

interface Props {
  label: string;
  /** The name that it has. */
  name?: string;
  text: ToTry;
  /** The text that is to have another name; a new one is kept where there is none. */
  known?: OwnText;
  onKept(text: OwnText): void;
}

/** Asks for a name, and keeps a text under it. */
export function KeepAs({ label, name: given = "", text, known, onKept }: Props) {
  const queries = useQueryClient();
  const [name, setName] = useState<string | null>(null); // null: not asked for
  const [wrong, setWrong] = useState("");
  const keep = async (event: FormEvent) => {
    event.preventDefault();
    const body = { name: name ?? "", dataset: text.dataset, sql: text.sql };
    try {
      const kept = known
        ? await answer(api.PUT("/api/texts/{text}", { params: { path: { text: known.id } }, body }))
        : await answer(api.POST("/api/texts", { body }));
      queries.setQueryData(["texts"], (all: OwnText[] = []) => [kept, ...all.filter((t) => t.id !== kept.id)]);
      setName(null);
      setWrong("");
      onKept(kept);
    } catch (error) {
      const problem = problemOf(error);
      setWrong(`${problem.title}. ${problem.detail}`);
    }
  };
  if (name === null)
    return (
      <Button size="small" onClick={() => setName(given)}>
        {label}
      </Button>
    );
  return (
    <form className="keep" onSubmit={(event) => void keep(event)}>
      <label>
        Name <input value={name} maxLength={200} required onChange={(event) => setName(event.target.value)} />
      </label>{" "}
      <Button size="small" htmlType="submit">
        Keep
      </Button>{" "}
      <Button size="small" onClick={() => setName(null)}>
        Cancel
      </Button>
      {wrong && <span role="alert"> {wrong}</span>}
    </form>
  );
}
