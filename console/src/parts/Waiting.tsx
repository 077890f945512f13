import type { UseQueryResult } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { problemOf } from "../api/client";
import { Button } from "./Button";
import { ProblemNote } from "./ProblemNote";

/** Shows what a query found; before that that it is waited for, or what is wrong. */
export function Waiting<T>({ query, children }: { query: UseQueryResult<T>; children: (data: T) => ReactNode }) {
  if (query.data !== undefined) return children(query.data);
  const wrong = query.error ?? query.failureReason;
  return (
    <div className="waiting">
      {wrong ? <ProblemNote problem={problemOf(wrong)} /> : <p className="quiet">Loading …</p>}
      {query.error && (
        <Button size="small" onClick={() => void query.refetch()}>
          Try again
        </Button>
      )}
    </div>
  );
}
