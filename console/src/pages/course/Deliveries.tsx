import { useQuery } from "@tanstack/react-query";
import { answer, api } from "../../api/client";
import { Waiting } from "../../parts/Waiting";
import { count, moment } from "../../parts/words";

const states = { waiting: "waits", sent: "told", failed: "given up" };

/** What a webhook was told and what came back, the latest first. */
export function Deliveries({ course, webhook }: { course: string; webhook: number }) {
  const log = useQuery({
    queryKey: ["webhooks", course, webhook],
    queryFn: () =>
      answer(api.GET("/api/courses/{course}/webhooks/{webhook}/deliveries", { params: { path: { course, webhook } } })),
    refetchInterval: ({ state }) => state.data?.deliveries.some((one) => one.state === "waiting") && 5000,
  });
  return (
    <Waiting query={log}>
      {({ deliveries, next }) => (
        <>
          {deliveries.length === 0 && <p className="quiet">No mark has changed since it was added.</p>}
          <ul className="deliveries">
            {deliveries.map((one) => (
              <li key={one.id}>
                {moment(one.at)}: {one.display_name}, {one.paper}/{one.exercise}, {one.mark}
                {one.by_hand && " by hand"}:{" "}
                <strong>
                  {states[one.state]}
                  {one.tries > 1 && ` after ${count(one.tries, "try").replace("trys", "tries")}`}
                </strong>
                {one.error && <span className="quiet">, {one.error}</span>}
              </li>
            ))}
          </ul>
          {next && <p className="quiet">There are more: examen webhook log has all of them.</p>}
        </>
      )}
    </Waiting>
  );
}
