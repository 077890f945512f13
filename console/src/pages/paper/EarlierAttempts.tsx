import { useInfiniteQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api, problemOf, type Entry, type Exercise } from "../../api/client";
import { Button } from "../../parts/Button";
import { ProblemNote } from "../../parts/ProblemNote";
import { SqlView } from "../../parts/sql/SqlView";
import { moment, verdict } from "../../parts/words";
import { Difference } from "./Difference";

interface Props {
  exercise: Exercise;
  text: string;
  onBringBack(sql: string): void;
}

/** All attempts at an exercise, newest first; any two of them, and the answer as it stands, can be compared. */
export function EarlierAttempts({ exercise, text, onBringBack }: Props) {
  const { paper, slug, latest } = exercise;
  const pages = useInfiniteQuery({
    queryKey: ["attempts", paper, slug, latest?.id],
    queryFn: ({ pageParam }) => {
      const query = { paper, exercise: slug, kind: "attempt" as const, before: pageParam, limit: 20, learner: own };
      return answer(api.GET("/api/history", { params: { query } }));
    },
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (page) => page.next,
  });
  const own = latest?.learner;
  const attempts = pages.data?.pages.flatMap((page) => page.entries) ?? [];
  const problem = pages.error ?? pages.failureReason;
  return (
    <div className="earlier">
      {problem && <ProblemNote problem={problemOf(problem)} />}
      {pages.isPending && !problem && <p className="quiet">Loading the attempts …</p>}
      <ol reversed>
        {attempts.map((attempt) => (
          <OneAttempt key={attempt.id} attempt={attempt} onBringBack={onBringBack} />
        ))}
      </ol>
      {pages.hasNextPage && (
        <Button size="small" loading={pages.isFetchingNextPage} onClick={() => void pages.fetchNextPage()}>
          Show older attempts
        </Button>
      )}
      {attempts.length > 0 && <Difference attempts={attempts} text={text} />}
    </div>
  );
}

function OneAttempt({ attempt, onBringBack }: { attempt: Entry; onBringBack(sql: string): void }) {
  const [open, setOpen] = useState(false);
  return (
    <li>
      <p>
        {moment(attempt.at)}: {verdict(attempt)}{" "}
        <Button size="small" aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? "Hide" : "Show"}
        </Button>{" "}
        <Button
          size="small"
          title="In place of the answer; undo brings that back"
          onClick={() => onBringBack(attempt.sql)}
        >
          Bring back
        </Button>
      </p>
      {open && (
        <>
          <SqlView label={`Attempt of ${moment(attempt.at)}`} text={attempt.sql} />
          {attempt.error && <ProblemNote problem={attempt.error} narrow />}
          {attempt.findings.map((finding, i) => (
            <p key={i} className="finding">
              {finding.sentence}
            </p>
          ))}
        </>
      )}
    </li>
  );
}
