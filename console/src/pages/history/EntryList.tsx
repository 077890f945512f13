import { keepPreviousData, useInfiniteQuery } from "@tanstack/react-query";
import { Button } from "../../parts/Button";
import { answer, api, problemOf, type Outcome, type Schemas } from "../../api/client";
import { ProblemNote } from "../../parts/ProblemNote";
import { EntryItem } from "./EntryItem";

export interface Filter {
  text?: string;
  dataset?: string;
  since?: string;
  until?: string;
  kept?: boolean;
  paper?: string;
  exercise?: string;
  learner?: string;
  outcome?: Outcome;
  kind?: Schemas["EntryKind"];
}

/** Runs and attempts, the latest first, a page at a time. */
export function EntryList({ filter, withLearner }: { filter: Filter; withLearner: boolean }) {
  const pages = useInfiniteQuery({
    queryKey: ["history", filter],
    queryFn: ({ pageParam }) =>
      answer(api.GET("/api/history", { params: { query: { ...filter, before: pageParam, limit: 30 } } })),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (page) => page.next,
    placeholderData: keepPreviousData, // the list stays while one types
  });
  const entries = pages.data?.pages.flatMap((page) => page.entries) ?? [];
  const problem = pages.error ?? pages.failureReason;
  return (
    <>
      {problem && <ProblemNote problem={problemOf(problem)} />}
      {pages.isPending && !problem && <p className="quiet">Loading …</p>}
      {pages.isSuccess && entries.length === 0 && (
        <p className="quiet">
          {Object.values(filter).some(Boolean)
            ? "Nothing fits what is chosen above. Choose less, or search for another text."
            : "Nothing was run or submitted yet. What you run and submit in a paper stands here."}
        </p>
      )}
      <ol className="entries">
        {entries.map((entry) => (
          <EntryItem key={entry.id} entry={entry} withLearner={withLearner} />
        ))}
      </ol>
      {pages.hasNextPage && (
        <Button onClick={() => void pages.fetchNextPage()} loading={pages.isFetchingNextPage}>
          Show older entries
        </Button>
      )}
    </>
  );
}
