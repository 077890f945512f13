import { useEffect, useState } from "react";
import { answer, api, problemOf, type Job, type Problem } from "../api/client";

/** What was heard of a job, by its id. */
interface Heard {
  id: string;
  job?: Job;
  problem?: Problem;
}

/**
 * Follows a job by server-sent events, from whenever one comes until it ends; null follows none. A connection that
 * breaks is made again by the browser.
 */
export function useJob(id: string | null) {
  const [heard, setHeard] = useState<Heard | null>(null);
  useEffect(() => {
    if (id === null) return;
    const events = new EventSource(`/api/jobs/${encodeURIComponent(id)}/events`);
    events.onmessage = (event: MessageEvent<string>) => {
      const job = JSON.parse(event.data) as Job;
      setHeard({ id, job });
      if (["done", "failed", "stopped"].includes(job.state)) events.close();
    };
    events.onerror = () => {
      if (events.readyState !== EventSource.CLOSED) return; // it tries again
      answer(api.GET("/api/jobs/{job}", { params: { path: { job: id } } })).then(
        (job) => setHeard({ id, job }),
        (error) => setHeard({ id, problem: problemOf(error) }),
      );
    };
    return () => events.close();
  }, [id]);
  const own = heard?.id === id ? heard : null;
  return { job: own?.job ?? null, problem: own?.problem ?? null };
}
