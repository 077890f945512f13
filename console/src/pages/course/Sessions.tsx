import { useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, api } from "../../api/client";
import { Button } from "../../parts/Button";
import { Waiting } from "../../parts/Waiting";
import { moment } from "../../parts/words";

/** Where somebody is logged in. */
export function Sessions({ account }: { account: string }) {
  const queries = useQueryClient();
  const key = ["sessions", account];
  const sessions = useQuery({
    queryKey: key,
    queryFn: () => answer(api.GET("/api/accounts/{account}/sessions", { params: { path: { account } } })),
  });
  async function end(session: string) {
    const params = { path: { account, session } };
    await answer(api.DELETE("/api/accounts/{account}/sessions/{session}", { params })).catch(() => {}); // it has ended
    void queries.invalidateQueries({ queryKey: key });
  }
  return (
    <Waiting query={sessions}>
      {(list) =>
        list.length === 0 ? (
          <p className="quiet">Logged in nowhere.</p>
        ) : (
          <ul className="sessions">
            {list.map((session) => (
              <li key={session.id}>
                {session.kind === "cookie" ? "In a browser" : "At the command line"}, since {moment(session.made)}
                {`, from ${session.address || "an unknown address"}`}
                {session.own && " (this one)"} <span className="quiet">{session.client}</span>{" "}
                {!session.own && (
                  <Button size="small" onClick={() => void end(session.id)}>
                    End it
                  </Button>
                )}
              </li>
            ))}
          </ul>
        )
      }
    </Waiting>
  );
}
