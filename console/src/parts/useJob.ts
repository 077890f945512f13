import { useEffect, useState } from "react";
import { answer, api, problemOf, type Job, type Problem } from "../api/client";
import { follow } from "../api/events";
import { passes } from "../work/drafts";

/** What was heard of a job, by its id. */
interface Heard {
  id: string;
  job?: Job;
  problem?: Problem;
}

/**
 * Follows a job by server-sent events, from whenever one comes until it ends; null follows none.
 */
export function useJob(id: string | null) {
  const [heard, setHeard] = useState<Heard | null>(null);
  useEffect(() => {
    if (id === null) return;
    const end = follow<Job>(
      `/api/jobs/${encodeURIComponent(id)}/events`,
      (job) => {
        setHeard({ id, job });
        if (["done", "failed", "stopped"].includes(job.state)) end();
      },
      () => {
        answer(api.GET("/api/jobs/{job}", { params: { path: { job: id } } })).then(
          (job) => setHeard({ id, job }),
          (error) => {
            setHeard({ id, problem: problemOf(error) });
            if (!passes(problemOf(error))) end();
          },
        );
      },
    );
    return end;
  }, [id]);
  const own = heard?.id === id ? heard : null;
  return { job: own?.job ?? null, problem: own?.problem ?? null };
}
