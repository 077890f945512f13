import { usePreferences } from "../../session";

/** Whether one wants e-mail. */
export function OwnMail() {
  const { preferences, prefer } = usePreferences();
  return (
    <section>
      <h2>E-mail</h2>
      <label className="check">
        <input
          type="checkbox"
          checked={preferences.mail}
          onChange={(event) => prefer({ mail: event.target.checked })}
        />{" "}
        Write to me when a paper is due within a day, when I am written a note, and when marks are released
      </label>
      <p className="quiet">Only where this service sends e-mail, and your account has an address.</p>
    </section>
  );
}
