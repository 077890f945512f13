import type { Problem } from "../api/client";

/** Stands where the console will be, until the service has said who is logged in. */
export function Beginning({ problem }: { problem: Problem | null }) {
  return (
    <main className="log-in" role="status">
      <h1>Examen</h1>
      {problem ? (
        <p className="prose">{problem.title}. Retrying automatically; you need not reload this page.</p>
      ) : (
        <p className="quiet">Loading …</p>
      )}
    </main>
  );
}
