import type { Job } from "../api/client";
import { Button } from "./Button";

/** How far a job is, and a way to stop it. */
export function RunningJob({ job, onStop }: { job: Job; onStop(): void }) {
  return (
    <p role="status" className="actions">
      {job.progress.step || "Waiting for its turn …"}
      <Button size="small" onClick={onStop}>
        Stop
      </Button>
    </p>
  );
}
