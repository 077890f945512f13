import { LogInForm } from "./LogInForm";
import { useTitle } from "../../parts/useTitle";

export function LogInPage() {
  useTitle("Log in");
  return (
    <main className="log-in">
      <h1>Examen</h1>
      <p className="prose">Write SQL queries and see how they are marked.</p>
      <LogInForm />
    </main>
  );
}
