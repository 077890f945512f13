import { useEffect } from "react";
import { Button } from "../../parts/Button";
import { downloadText } from "../../parts/download";
import { count, moment } from "../../parts/words";

/** A one-time password to hand to somebody. */
export interface Slip {
  name: string;
  display_name: string;
  password: string;
  until?: string;
}

interface Props {
  course: string;
  slips: Slip[];
  onClose(): void;
}

/** One-time passwords, as slips to print and cut, or as a table to send on. They are told only now. */
export function Slips({ course, slips, onClose }: Props) {
  useEffect(() => {
    document.body.classList.add("with-slips"); // what is printed then
    return () => document.body.classList.remove("with-slips");
  }, []);
  function save() {
    const rows = slips.map((s) => [s.name, s.display_name, s.password, s.until ?? ""].map(cell).join(","));
    downloadText("one-time-passwords.csv", "text/csv", `login,name,password,until\n${rows.join("\n")}\n`);
  }
  return (
    <section className="slips" aria-label="One-time passwords">
      <p>
        <strong>
          {slips.length === 1 ? "A one-time password." : `${count(slips.length, "one-time password")}.`} They are shown
          only now.
        </strong>{" "}
        Whoever logs in with one chooses a password of their own.
      </p>
      <p className="actions">
        <Button type="primary" onClick={() => print()}>
          Print as slips
        </Button>
        <Button onClick={save}>Save as CSV</Button>
        <Button onClick={onClose}>Put them away</Button>
      </p>
      <ul>
        {slips.map((slip) => (
          <li key={slip.name}>
            <strong>{slip.display_name}</strong>
            <span className="quiet">
              {course}, {location.origin}
            </span>
            <span>
              Login <code>{slip.name}</code>
            </span>
            <span>
              Password <code>{slip.password}</code>
            </span>
            {slip.until && <span className="quiet">Taken until {moment(slip.until)}</span>}
          </li>
        ))}
      </ul>
    </section>
  );
}

/** A cell of a CSV file; what a spreadsheet would take for a formula gets an apostrophe. */
function cell(text: string) {
  const guarded = /^[=+\-@\t\r]/.test(text) ? `'${text}` : text;
  return `"${guarded.replaceAll('"', '""')}"`;
}
