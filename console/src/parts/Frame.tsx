import { Button } from "antd";
import type { ReactNode } from "react";
import { NavLink } from "react-router";
import { useSession } from "../session";
import { Servers } from "./Servers";

/** What stands around every page: where one is, who one is. */
export function Frame({ dark, turn, children }: { dark: boolean; turn: () => void; children: ReactNode }) {
  const { session, logOut } = useSession();
  const account = session!.account;
  const instructor = account.role === "instructor";
  return (
    <>
      <a className="skip" href="#content">
        Skip to the content
      </a>
      <header className="frame">
        <NavLink to="/" className="frame-name">
          Examen
        </NavLink>
        <nav>
          <NavLink to="/" end>
            {instructor ? "Papers" : "My papers"}
          </NavLink>
          <NavLink to="/datasets">Datasets</NavLink>
          <NavLink to="/history">{instructor ? "History" : "My history"}</NavLink>
        </nav>
        <NavLink to="/password" className="frame-account" title="Change the password">
          {account.display_name}
          {instructor && ", instructor"}
          {account.one_time_password && " (choose a password)"}
        </NavLink>
        <Button type="text" size="small" onClick={turn}>
          {dark ? "Light" : "Dark"}
        </Button>
        <Button type="text" size="small" onClick={() => void logOut()}>
          Log out
        </Button>
      </header>
      <Servers />
      <main id="content" tabIndex={-1}>
        <p id="leave-editor" hidden>
          Tab indents. To leave the editor press Escape, then Tab.
        </p>
        {children}
      </main>
    </>
  );
}
