import { useState, type FormEvent } from "react";
import { problemOf, type Problem } from "../../api/client";
import { Button } from "../../parts/Button";
import { ProblemNote } from "../../parts/ProblemNote";
import { useSession } from "../../session";

/** Asks for a name and a password. */
export function LogInForm({ name: known = "" }: { name?: string }) {
  const { logIn } = useSession();
  const [name, setName] = useState(known);
  const [password, setPassword] = useState("");
  const [shown, setShown] = useState(false);
  const [tried, setTried] = useState(false);
  const [problem, setProblem] = useState<Problem | null>(null);
  const [busy, setBusy] = useState(false);

  async function submit(event: FormEvent) {
    event.preventDefault();
    setTried(true);
    if (!name || !password) return;
    setBusy(true);
    setProblem(null);
    try {
      await logIn(name, password);
    } catch (error) {
      setProblem(problemOf(error));
      setBusy(false);
    }
  }

  const missing = (value: string, what: string) =>
    tried &&
    !value && (
      <p className="field-problem" role="alert">
        Enter your {what}
      </p>
    );
  return (
    <form className="fields" noValidate onSubmit={(event) => void submit(event)}>
      <label htmlFor="name">Name</label>
      <input
        id="name"
        value={name}
        onChange={(event) => setName(event.target.value)}
        autoFocus={!known} // eslint-disable-line jsx-a11y/no-autofocus -- there is nothing else to do on the page
        autoComplete="username"
        autoCapitalize="none"
      />
      {missing(name, "user name")}
      <label htmlFor="password">Password</label>
      <span className="field-password">
        <input
          id="password"
          type={shown ? "text" : "password"}
          value={password}
          onChange={(event) => setPassword(event.target.value)}
          autoFocus={!!known} // eslint-disable-line jsx-a11y/no-autofocus -- the name is known
          autoComplete="current-password"
        />
        <Button type="link" aria-pressed={shown} onClick={() => setShown(!shown)}>
          {shown ? "Hide" : "Show"}
        </Button>
      </span>
      {missing(password, "password")}
      {problem && <ProblemNote problem={problem} />}
      <Button type="primary" htmlType="submit" loading={busy}>
        Log in
      </Button>
    </form>
  );
}
