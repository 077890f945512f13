import { Modal } from "antd";
import { useSession } from "../../session";
import { LogInForm } from "./LogInForm";

/** Stands over a page whose session has ended; what was typed on the page stays. */
export function LogInAgain() {
  const { ended, session } = useSession();
  return (
    <Modal open={ended} title="The session has ended" footer={null} closable={false} destroyOnHidden>
      <p>Log in again to go on where you are; what you typed is still there.</p>
      <LogInForm name={session?.account.name} />
    </Modal>
  );
}
