import type { UseQueryResult } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { problemOf } from "../api/client";
import { ProblemNote } from "./ProblemNote";

/** Shows what a query found; before that that it is waited for, or what is wrong. */
export function Waiting<T>({ query, children }: { query: UseQueryResult<T>; children: (data: T) => ReactNode }) {
  if (query.data !== undefined) return children(query.data);
  if (query.error) return <ProblemNote problem={problemOf(query.error)} />;
  if (query.failureReason) return <ProblemNote problem={problemOf(query.failureReason)} />;
  return <p className="quiet">Loading ...</p>;
}
