import { LogInForm } from "./LogInForm";
import { useTitle } from "../../parts/useTitle";

export function LogInPage() {
  useTitle("Log in");
  return (
    <main className="log-in">
      <h1>Examen</h1>
      <p className="prose">Queries to write, and what came of them.</p>
      <LogInForm />
    </main>
  );
}
