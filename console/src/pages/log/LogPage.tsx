import { useInfiniteQuery } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import { answer, api, problemOf, type Schemas } from "../../api/client";
import { Button } from "../../parts/Button";
import { ProblemNote } from "../../parts/ProblemNote";
import { useTitle } from "../../parts/useTitle";
import { moment } from "../../parts/words";

const fields = ["course", "paper", "person", "actor"] as const;
const labels = { course: "Course", paper: "Paper", person: "Whom it concerns (login)", actor: "Who did it (login)" };
const topics = ["accounts", "courses", "papers", "times", "marks"];

/** The audit log: who did what to accounts, courses, papers and marks. */
export function LogPage() {
  useTitle("Log");
  const [search, setSearch] = useSearchParams();
  const filter = Object.fromEntries([...search].filter(([, value]) => value));
  const query = { ...filter, ...bounds(search) };
  const log = useInfiniteQuery({
    queryKey: ["log", query],
    queryFn: ({ pageParam }) => {
      const asked = { params: { query: { ...query, before: pageParam, limit: 100 } } };
      return answer(api.GET("/api/log", asked)) as Promise<Schemas["LogPage"]>; // which as JSON it is
    },
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (page) => page.next,
  });
  const set = (name: string, value: string) => {
    const next = new URLSearchParams(search);
    if (value) next.set(name, value);
    else next.delete(name);
    setSearch(next, { replace: true });
  };
  const lines = log.data?.pages.flatMap((page) => page.lines) ?? [];
  const problem = log.error ?? log.failureReason;
  return (
    <section className="page wide log">
      <h1>Log</h1>
      <p className="quiet">
        Who did what to accounts, courses, papers and marks, the latest first. Nothing is taken out.
      </p>
      <div className="actions">
        <label>
          About{" "}
          <select value={search.get("about") ?? ""} onChange={(event) => set("about", event.target.value)}>
            <option value="">everything</option>
            {topics.map((topic) => (
              <option key={topic}>{topic}</option>
            ))}
          </select>
        </label>
        {fields.map((field) => (
          <label key={field}>
            {labels[field]}{" "}
            <input
              size={14}
              defaultValue={search.get(field) ?? ""}
              onBlur={(event) => set(field, event.target.value.trim())}
            />
          </label>
        ))}
        <label>
          From <input type="date" value={search.get("since") ?? ""} onChange={(e) => set("since", e.target.value)} />
        </label>
        <label>
          To <input type="date" value={search.get("until") ?? ""} onChange={(e) => set("until", e.target.value)} />
        </label>
        <a
          className="actions-end"
          href={`/api/log?${new URLSearchParams({ ...query, format: "csv" })}`}
          download="log.csv"
        >
          Save as CSV
        </a>
      </div>
      {problem && <ProblemNote problem={problemOf(problem)} />}
      {!log.isPending && lines.length === 0 && <p className="quiet">Nothing of that kind was done.</p>}
      <ul className="log-lines">
        {lines.map((line) => (
          <Line key={line.id} line={line} />
        ))}
      </ul>
      {log.hasNextPage && (
        <Button loading={log.isFetchingNextPage} onClick={() => void log.fetchNextPage()}>
          Show older lines
        </Button>
      )}
    </section>
  );
}

/** Days as the times between which they lie. */
function bounds(search: URLSearchParams) {
  const since = search.get("since");
  const until = search.get("until");
  const after = until && new Date(`${until}T00:00`);
  if (after) after.setDate(after.getDate() + 1);
  return {
    ...(since && { since: new Date(`${since}T00:00`).toISOString() }),
    ...(after && { until: after.toISOString() }),
  };
}

function Line({ line }: { line: Schemas["LogLine"] }) {
  return (
    <li>
      <span className="quiet">{moment(line.at)}</span>
      <span>
        <strong>{line.actor_name ?? "Examen"}</strong> {line.sentence}
        {line.reason && <em>: {line.reason}</em>}
      </span>
    </li>
  );
}
