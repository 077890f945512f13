import { Suspense, useState } from "react";
import { Button } from "../../parts/Button";
import type { Exercise } from "../../api/client";
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
  /** Puts an earlier text in place of the answer; it can be undone. */
  onBringBack(sql: string): void;
}

/** How one stands, and what came of the latest attempt, as notes beside the answer space. Earlier ones are behind. */
export function MarginNotes({ exercise, text, onMend, onBeside, onBringBack }: Props) {
  const attempt = exercise.latest;
  const [earlier, setEarlier] = useState(false);
  return (
    <div className="notes" data-outcome={attempt?.outcome ?? (attempt ? "untold" : "none")}>
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
