import { Button } from "../../parts/Button";
import { useSession } from "../../session";
import { PasswordPage } from "./PasswordPage";
import { useTitle } from "../../parts/useTitle";

/** All there is for somebody who has logged in with a one-time password: to choose one of their own. */
export function FirstPassword() {
  useTitle("Choose a password");
  const { logOut } = useSession();
  return (
    <main>
      <PasswordPage />
      <section className="page narrow">
        <Button onClick={() => void logOut()}>Log out</Button>
      </section>
    </main>
  );
}
