import { answer, api, type Schemas } from "../../api/client";
import { Button } from "../../parts/Button";
import { ProblemNote } from "../../parts/ProblemNote";
import { useCall } from "../../parts/useCall";
import { bytes, count, moment } from "../../parts/words";
import { Lines } from "./Lines";

type Status = Schemas["Status"];
type PracticeServer = Schemas["PracticeServer"];

/** The services, the records' server and the practice servers, and what is free of seats and of disk. */
export function Servers({ of }: { of: Status }) {
  return (
    <Lines title="Servers" head={["What", "Address", "State", "Free on disk", "Holds", "Seats here, in use"]}>
      {of.services.map((service) => (
        <tr key={service.address}>
          <td>Service</td>
          <td>{service.address}</td>
          <td>
            up since {moment(service.started)}
            {service.own && <span className="quiet">, answers now</span>}
          </td>
          <td />
          <td />
          <td />
        </tr>
      ))}
      <tr>
        <td>Records</td>
        <td />
        <td>{of.health.records}</td>
        <td>{free(of.records.free_bytes)}</td>
        <td>{bytes(of.records.bytes)}</td>
        <td />
      </tr>
      {of.practice.map((server) => (
        <Practice
          key={server.name}
          server={server}
          seats={of.seats.filter((seats) => seats.server === server.name)}
          alone={of.practice.filter((other) => !other.standby).length < 2}
        />
      ))}
    </Lines>
  );
}

function Practice(of: { server: PracticeServer; seats: Schemas["SeatsState"][]; alone: boolean }) {
  const { server, seats, alone } = of;
  const { call, problem, busy } = useCall("status");
  const use = (draining: boolean) =>
    call(() => answer(api.PUT("/api/servers/{name}", { params: { path: { name: server.name } }, body: { draining } })));
  return (
    <tr>
      <td>{server.standby ? "Standby" : "Practice"}</td>
      <td>{server.name}</td>
      <td>
        {state(server)}
        {!server.standby && (server.draining || !alone) && (
          <>
            {" "}
            <Button size="small" loading={busy} onClick={() => void use(!server.draining)}>
              {server.draining ? "Use again" : "Take out of use"}
            </Button>
          </>
        )}
        {problem && <ProblemNote problem={problem} />}
      </td>
      <td>{free(server.free_bytes)}</td>
      <td>
        {count(server.builds, "build")}, {server.copies === 1 ? "1 copy" : `${server.copies} copies`}
      </td>
      <td>{seats.map(inUse).join("; ")}</td>
    </tr>
  );
}

function inUse({ kind, all, in_use: used, waited_for: waiting }: Schemas["SeatsState"]) {
  return `${kind}: ${used} of ${all}${waiting > 0 ? `, ${count(waiting, "run")} waiting` : ""}`;
}

function state({ reachable, draining, running }: PracticeServer) {
  if (!reachable) return "away";
  if (draining) return running > 0 ? `being drained, ${count(running, "run")} on it` : "drained";
  return "up";
}

function free(n: number) {
  return n > 0 ? bytes(n) : "";
}
