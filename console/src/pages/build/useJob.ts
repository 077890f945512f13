import { useEffect, useState } from "react";
import { answer, api, problemOf, type Job, type Problem } from "../../api/client";

/** Follows a job by server-sent events, from whenever one comes until it ends. A connection that breaks is made again by the browser. */
export function useJob(id: string) {
  const [job, setJob] = useState<Job | null>(null);
  const [problem, setProblem] = useState<Problem | null>(null);
  useEffect(() => {
    setJob(null);
    setProblem(null);
    const events = new EventSource(`/api/jobs/${encodeURIComponent(id)}/events`);
    events.onmessage = (event: MessageEvent<string>) => {
      const now = JSON.parse(event.data) as Job;
      setJob(now);
      if (["done", "failed", "stopped"].includes(now.state)) events.close();
    };
    events.onerror = () => {
      if (events.readyState !== EventSource.CLOSED) return; // it tries again
      answer(api.GET("/api/jobs/{job}", { params: { path: { job: id } } })).then(setJob, (error) => setProblem(problemOf(error)));
    };
    return () => events.close();
  }, [id]);
  return { job, problem };
}
