import { useCallback, useState } from "react";
import type { ToTry } from "./TryPage";

/** The text without a name, which the browser keeps for an account from key to key. */
export function useLoose(account: string, usual: string) {
  const key = `examen.try ${account}`;
  const [text, setText] = useState<ToTry>(() => {
    const kept = localStorage.getItem(key);
    return kept ? (JSON.parse(kept) as ToTry) : { dataset: usual, sql: "" };
  });
  const change = useCallback(
    (part: Partial<ToTry>) =>
      setText((before) => {
        const next = { ...before, ...part };
        localStorage.setItem(key, JSON.stringify(next));
        return next;
      }),
    [key],
  );
  return { text, change };
}
