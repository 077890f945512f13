import { LogInForm } from "./LogInForm";

export function LogInPage() {
  return (
    <main className="log-in">
      <h1>Examen</h1>
      <p className="prose">Queries to write, and what came of them.</p>
      <LogInForm />
    </main>
  );
}
