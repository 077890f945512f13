import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Suspense, useState } from "react";
import { answer, api, type Exercise } from "../../api/client";
import { Button } from "../../parts/Button";
import { FindingNote } from "../../parts/FindingNote";
import { lazily } from "../../parts/lazily";
import { ProblemNote } from "../../parts/ProblemNote";
import { count } from "../../parts/words";
import { Dispute } from "./Dispute";
import { OwnNotes } from "./OwnNotes";
import { Standing } from "./Standing";

const EarlierAttempts = lazily(() => import("./EarlierAttempts").then((m) => m.EarlierAttempts));

interface Props {
  exercise: Exercise;
  /** The answer as it stands. */
  text: string;
  onMend(sql: string): void;
  onBeside(): void;
  onExample(): void;
  /** Puts an earlier text in place of the answer; it can be undone. */
  onBringBack(sql: string): void;
}

/** How one stands, and what came of the latest attempt, as notes beside the answer space. Earlier ones are behind. */
export function MarginNotes({ exercise, text, onMend, onBeside, onExample, onBringBack }: Props) {
  const attempt = exercise.latest;
  const looking = useCause(exercise);
  const [earlier, setEarlier] = useState(false);
  return (
    <div
      className="notes"
      data-outcome={attempt?.outcome ?? (attempt ? "untold" : "none")}
      data-cause={looking ? "awaited" : undefined}
    >
      <Standing exercise={exercise} changed={attempt !== undefined && text !== attempt.sql} />
      {attempt?.error && <ProblemNote problem={attempt.error} narrow onMend={onMend} />}
      {attempt?.findings.map((finding, i) => (
        <FindingNote key={i} finding={finding} />
      ))}
      <OwnNotes exercise={exercise} />
      <Dispute exercise={exercise} />
      <p className="notes-foot">
        {!exercise.by_state && attempt?.findings.some((finding) => finding.rows?.length) && (
          <Button size="small" onClick={onBeside}>
            Show beside my rows
          </Button>
        )}
        {!exercise.by_state && attempt?.outcome === "incorrect" && (
          <Button size="small" onClick={onExample}>
            Smallest example
          </Button>
        )}
        {exercise.attempts > 0 && (
          <Button size="small" aria-expanded={earlier} onClick={() => setEarlier(!earlier)}>
            {earlier
              ? "Put the attempts away"
              : exercise.attempts === 1
                ? "The attempt"
                : `All ${count(exercise.attempts, "attempt")}`}
          </Button>
        )}
      </p>
      {earlier && (
        <Suspense>
          <EarlierAttempts exercise={exercise} text={text} onBringBack={onBringBack} />
        </Suspense>
      )}
    </div>
  );
}

/**
 * Has the cause of the latest attempt told once it is found, which is after its verdict. Returns whether it is looked
 * for.
 */
function useCause({ paper, latest }: Exercise) {
  const queries = useQueryClient();
  const path = { attempt: Number(latest?.id) };
  const cause = useQuery({
    queryKey: ["cause", latest?.id],
    enabled: latest?.outcome === "incorrect" && !latest.findings.some(({ kind }) => kind.startsWith("cause-")),
    queryFn: async () => {
      const found = await answer(api.GET("/api/attempts/{attempt}/cause", { params: { path } }));
      if (found.findings.length > 0) await queries.invalidateQueries({ queryKey: ["paper", paper] });
      return found;
    },
    staleTime: Infinity,
    retry: false, // the verdict stands without it
  });
  return cause.isFetching;
}
