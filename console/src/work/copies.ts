import type { QueryClient } from "@tanstack/react-query";
import { answer, api, ProblemError, type Schemas } from "../api/client";

export type Copy = Schemas["Copy"];

/**
 * The name of this window: a transaction that a run leaves open waits for the next run from here, also when the page is
 * loaded anew.
 */
export function windowName() {
  const kept = sessionStorage.getItem("examen.window");
  if (kept) return kept;
  const made = crypto.randomUUID();
  sessionStorage.setItem("examen.window", made);
  return made;
}

const key = (dataset: string) => ["copy", dataset];

/** Asks for one's copy of a dataset; null where there is none. */
export const copyOf = (dataset: string) => ({
  queryKey: key(dataset),
  queryFn: async (): Promise<Copy | null> => {
    const params = { path: { dataset }, query: { window: windowName() } };
    try {
      return await answer(api.GET("/api/copies/{dataset}", { params }));
    } catch (error) {
      if (error instanceof ProblemError && error.problem.status === 404) return null;
      throw error;
    }
  },
  // When an open transaction has been rolled back for want of a run, that is to be told.
  refetchInterval: ({ state }: { state: { data?: Copy | null } }) => {
    const until = state.data?.transaction_until;
    return until ? Math.max(Date.parse(until) - Date.now(), 0) + 1000 : false;
  },
});

/** Takes a copy as a run has left it. */
export function copyNow(queries: QueryClient, copy: Copy) {
  queries.setQueryData(key(copy.dataset), copy);
}

/** Throws one's copy of a dataset away. */
export async function resetCopy(queries: QueryClient, dataset: string) {
  await answer(api.DELETE("/api/copies/{dataset}", { params: { path: { dataset } } }));
  queries.setQueryData(key(dataset), null);
}

/** What has changed, each part in a few words. */
export function changesIn(changes?: Schemas["CopyChanges"]): string[] {
  const { tables = [], made = [], altered = [], dropped = [] } = changes ?? {};
  const named = (word: string) => (o: Schemas["DatabaseObject"]) => `${o.kind} ${o.name} ${word}`;
  return [
    ...tables.map(
      ({ table, added, changed, removed }) =>
        `${table}: ` +
        Object.entries({ added, changed, removed })
          .filter(([, rows]) => rows > 0)
          .map(([word, rows]) => `${rows.toLocaleString("en")} ${rows === 1 ? "row" : "rows"} ${word}`)
          .join(", "),
    ),
    ...made.map(named("made")),
    ...altered.map(named("altered")),
    ...dropped.map(named("dropped")),
  ];
}
