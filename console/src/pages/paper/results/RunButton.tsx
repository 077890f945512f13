import { useEffect, useState } from "react";
import { Button } from "../../../parts/Button";

const soon = 400; // milliseconds after which it is worth telling how long a run takes

/** Runs, and stops what is running. */
export function RunButton({
  since,
  label = "Run",
  onRun,
  onStop,
}: {
  since: number | null;
  label?: string;
  onRun(): void;
  onStop(): void;
}) {
  const [now, setNow] = useState(0);
  useEffect(() => {
    if (since === null) return;
    const timer = window.setInterval(() => setNow(Date.now()), 100);
    return () => window.clearInterval(timer);
  }, [since]);
  const long = since !== null && now - since > soon;
  return (
    <Button
      className="run"
      onClick={long ? onStop : onRun}
      title={long ? undefined : "Ctrl-Enter in the answer space"}
      aria-busy={since !== null}
    >
      {long ? `Stop (${((now - since) / 1000).toFixed(1)} s)` : label}
    </Button>
  );
}
