import type { Schemas } from "../../api/client";
import { moment } from "../../parts/words";
import { Lines } from "./Lines";

/** Where passwords were wrong in the last day. Names that no account has are not told: they may be passwords. */
export function FailedLogIns({ lines }: { lines: Schemas["FailedLogIn"][] }) {
  return (
    <Lines
      title="Failed log-ins of the last day"
      head={["From", "As", "Times", "Last"]}
      none={lines.length === 0 ? "There were none." : undefined}
    >
      {lines.map((line, i) => (
        <tr key={i}>
          <td>{line.address || "a device of theirs"}</td>
          <td>{who(line)}</td>
          <td>{line.failures}</td>
          <td>{moment(line.last)}</td>
        </tr>
      ))}
    </Lines>
  );
}

function who({ name, unknown_name: unknown }: Schemas["FailedLogIn"]) {
  if (unknown) return <span className="quiet">a name that no account has</span>;
  return name || <span className="quiet">all names together</span>;
}
