import { useQuery } from "@tanstack/react-query";
import { answer, api, type Schemas } from "../../api/client";
import { useTitle } from "../../parts/useTitle";
import { Waiting } from "../../parts/Waiting";
import { moment } from "../../parts/words";
import { Disk } from "./Disk";
import { FailedLogIns } from "./FailedLogIns";
import { Lines } from "./Lines";
import { Servers } from "./Servers";
import { SlowExercises } from "./SlowExercises";

const again = 15_000;

/** How the service stands, for whoever runs it. It is looked at again from time to time. */
export function ServicePage() {
  useTitle("Service");
  const status = useQuery({
    queryKey: ["status"],
    queryFn: () => answer(api.GET("/api/status")),
    refetchInterval: again,
  });
  return (
    <section className="page wide overview service">
      <Waiting query={status} page="The state of the service">
        {(of) => (
          <>
            <h1>{of.health.ready ? "The service is ready" : "The service is not ready"}</h1>
            {of.health.reasons.map((reason) => (
              <p key={reason} role="alert">
                {reason}
              </p>
            ))}
            <p className="quiet">
              Examen {of.version}, as at {moment(of.at)}. The page is renewed by itself; <code>examen status</code>{" "}
              prints the same.
            </p>
            <Servers of={of} />
            <Background lines={of.background} />
            <Disk of={of} />
            <SlowExercises lines={of.slow_exercises} />
            <FailedLogIns lines={of.failed_log_ins} />
          </>
        )}
      </Waiting>
    </section>
  );
}

/** What there is to be done in the background, and what became of jobs. */
function Background({ lines }: { lines: Schemas["Backlog"][] }) {
  const names = [...new Set(lines.map((line) => line.name))];
  return (
    <Lines
      title="Work in the background"
      head={["What", "How many, by state"]}
      none={lines.length === 0 ? "There is none, and has been none." : undefined}
    >
      {names.map((name) => {
        const own = lines.filter((line) => line.name === name);
        return (
          <tr key={name}>
            <td>
              {name} <span className="quiet">{own[0].task ? "task" : "job"}</span>
            </td>
            <td>{own.map((line) => `${line.count} ${line.state}`).join(", ")}</td>
          </tr>
        );
      })}
    </Lines>
  );
}
