import type { CSSProperties, ReactNode } from "react";
import { Link, NavLink } from "react-router";
import { Button } from "./Button";
import { Menu } from "./Menu";
import { usePreferences, useSession } from "../session";
import { Servers } from "./Servers";
import { useScroll } from "./useScroll";

/** What stands around every page: where one is, who one is. */
export function Frame({ children }: { children: ReactNode }) {
  const { session, logOut } = useSession();
  useScroll();
  const { preferences, prefer } = usePreferences();
  const account = session!.account;
  const staff = account.role !== "learner";
  return (
    <>
      <a className="skip" href="#content">
        Skip to the content
      </a>
      <header className="frame">
        <NavLink to="/" className="frame-name">
          Examen
        </NavLink>
        <nav aria-label="Pages">
          <NavLink to="/" end>
            {staff ? "Papers" : "My papers"}
          </NavLink>
          {staff && <NavLink to="/courses">Courses</NavLink>}
          {staff && <NavLink to="/marking">Marking</NavLink>}
          {account.role === "instructor" && <NavLink to="/exercises">Exercises</NavLink>}
          <NavLink to="/datasets">Datasets</NavLink>
          <NavLink to="/try">Try</NavLink>
          <NavLink to="/history">{staff ? "History" : "My history"}</NavLink>
        </nav>
        <Menu label={staff ? `${account.display_name}, ${account.role}` : account.display_name}>
          <Link to="/password" data-closes>
            My account and password
          </Link>
          {account.role === "instructor" && (
            <Link to="/log" data-closes>
              Log of changes
            </Link>
          )}
          {account.administrator && (
            <Link to="/service" data-closes>
              How the service stands
            </Link>
          )}
          <label>
            Look{" "}
            <select
              className="look"
              value={preferences.look}
              onChange={(event) => prefer({ look: event.target.value as typeof preferences.look })}
            >
              <option value="light">Light</option>
              <option value="dark">Dark</option>
              <option value="system">As the system</option>
            </select>
          </label>
          <Button size="small" onClick={() => void logOut()}>
            Log out
          </Button>
        </Menu>
      </header>
      <Servers />
      <main id="content" tabIndex={-1} style={{ "--sql-size": `${preferences.text_size}px` } as CSSProperties}>
        <p id="leave-editor" hidden>
          Tab indents. To leave the editor press Escape, then Tab.
        </p>
        {children}
      </main>
    </>
  );
}
