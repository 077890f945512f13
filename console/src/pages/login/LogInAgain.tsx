import { useEffect, useRef } from "react";
import { useSession } from "../../session";
import { LogInForm } from "./LogInForm";

/** Stands over a page whose session has ended; what was typed on the page stays. */
export function LogInAgain() {
  const { session } = useSession();
  const dialog = useRef<HTMLDialogElement>(null);
  useEffect(() => {
    dialog.current?.showModal();
    dialog.current?.querySelector<HTMLInputElement>("#password")?.focus();
  }, []);
  return (
    <dialog
      ref={dialog}
      className="log-in-again"
      aria-labelledby="session-ended"
      onCancel={(event) => event.preventDefault()}
    >
      <h2 id="session-ended">The session has ended</h2>
      <p>Log in again to go on where you are; what you typed is still there.</p>
      <LogInForm name={session?.account.name} />
    </dialog>
  );
}
