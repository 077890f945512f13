import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useEffectEvent, useRef, useState } from "react";
import { answer, api, problemOf } from "../../api/client";
import { moment } from "../../parts/words";
import type { OwnText, ToTry } from "./TryPage";

const pause = 700; // milliseconds after the last key
const again = 3000; // milliseconds until another try

/** What is typed and not saved; the browser keeps it until it is. */
interface Unsaved extends ToTry {
  revision: number;
}

/** A text that is saved as it is typed, on top of the version that it was made from. */
export function useOwnText(account: string, known: OwnText) {
  const queries = useQueryClient();
  const key = `examen.text ${account} ${known.id}`;
  const [unsaved, setUnsaved] = useState<Unsaved | null>(() => {
    const kept = localStorage.getItem(key);
    return kept ? (JSON.parse(kept) as Unsaved) : null;
  });
  const [problem, setProblem] = useState("");
  const [conflict, setConflict] = useState(false);
  const latest = useRef(unsaved);
  const put = (next: Unsaved | null) => {
    latest.current = next;
    setUnsaved(next);
    if (next) localStorage.setItem(key, JSON.stringify(next));
    else localStorage.removeItem(key);
  };

  const save = async (over = false) => {
    const text = latest.current;
    if (!text) return;
    try {
      const { dataset, sql, revision } = text;
      const body = { name: known.name, dataset, sql, revision: over ? undefined : revision };
      const kept = await answer(api.PUT("/api/texts/{text}", { params: { path: { text: known.id } }, body }));
      queries.setQueryData(["texts"], (all: OwnText[] = []) => all.map((t) => (t.id === kept.id ? kept : t)));
      setProblem("");
      // What was typed meanwhile is on top of what has been saved.
      put(latest.current === text ? null : latest.current && { ...latest.current, revision: kept.revision });
    } catch (error) {
      const wrong = problemOf(error);
      if (wrong.status === 409) setConflict(true);
      else setProblem(wrong.title);
    }
  };
  const saveLater = useEffectEvent(() => save());
  useEffect(() => {
    if (!unsaved || conflict) return;
    const timer = setTimeout(() => void saveLater(), problem ? again : pause);
    return () => clearTimeout(timer);
  }, [unsaved, conflict, problem]);
  useEffect(() => () => void saveLater(), []);

  const text: ToTry = unsaved ?? known;
  return {
    text,
    change: (part: Partial<ToTry>) =>
      put({ dataset: text.dataset, sql: text.sql, revision: unsaved?.revision ?? known.revision, ...part }),
    said: problem
      ? `Not saved: ${problem.toLowerCase()}. Retrying automatically`
      : unsaved
        ? "Saving …"
        : `Saved ${moment(known.at)}`,
    conflict,
    /** Decides which of two versions stays. */
    settle: (which: "mine" | "theirs") => {
      setConflict(false);
      if (which === "mine") return void save(true);
      put(null);
      void queries.invalidateQueries({ queryKey: ["texts"] });
    },
  };
}
