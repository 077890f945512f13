import type { UseQueryResult } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { problemOf } from "../api/client";
import { Button } from "./Button";
import { ProblemNote } from "./ProblemNote";

interface Props<T> {
  query: UseQueryResult<T>;
  /** What the whole page is, where its heading comes with what is waited for, as "The paper". */
  page?: string;
  children: (data: T) => ReactNode;
}

/** Shows what a query found; before that that it is waited for, or what is wrong. */
export function Waiting<T>({ query, page, children }: Props<T>) {
  if (query.data !== undefined) return children(query.data);
  const wrong = query.error ?? query.failureReason;
  return (
    <div className="waiting">
      {wrong && page && <h1>{page} cannot be shown</h1>}
      {wrong ? <ProblemNote problem={problemOf(wrong)} /> : <p className="quiet">Loading …</p>}
      {query.error && (
        <Button size="small" onClick={() => void query.refetch()}>
          Try again
        </Button>
      )}
    </div>
  );
}
