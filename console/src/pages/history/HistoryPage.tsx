import { useSearchParams } from "react-router";
import { Button } from "../../parts/Button";
import type { Outcome, Schemas } from "../../api/client";
import { useTitle } from "../../parts/useTitle";
import { useSession } from "../../session";
import { ClearRuns } from "./ClearRuns";
import { EntryList, type Filter } from "./EntryList";
import { Filters } from "./Filters";
import { OwnMarks } from "./OwnMarks";

/** One's own runs and attempts; for those who teach, their courses', too. */
export function HistoryPage() {
  const { session } = useSession();
  const staff = session!.account.role !== "learner";
  useTitle(staff ? "History" : "My history");
  const [search, setSearch] = useSearchParams();
  const get = (name: string) => search.get(name) ?? undefined;
  const set = (name: string, value?: string) =>
    setSearch(
      (before) => {
        const next = new URLSearchParams(before);
        if (value) next.set(name, value);
        else next.delete(name);
        if (name === "paper") next.delete("exercise");
        return next;
      },
      { replace: true },
    );
  const filter: Filter = {
    text: get("text"),
    paper: get("paper"),
    exercise: get("exercise"),
    dataset: get("dataset"),
    outcome: get("outcome") as Outcome,
    kind: get("kind") as Schemas["EntryKind"],
    since: startOf(get("since")),
    until: endOf(get("until")),
    kept: get("kept") === "yes" || undefined,
  };
  return (
    <section className="page wide">
      <h1>{staff ? "History" : "My history"}</h1>
      {!staff && <OwnMarks />}
      <Filters get={get} set={set} />
      <p className="filters">
        {search.size > 0 && (
          <Button size="small" onClick={() => setSearch({})}>
            Show all
          </Button>
        )}
        <ClearRuns paper={filter.paper} exercise={filter.exercise} />
      </p>
      <EntryList filter={filter} withLearner={staff} />
    </section>
  );
}

/** A day's first moment, in one's own time zone. */
function startOf(day?: string) {
  return day && new Date(`${day}T00:00`).toISOString();
}

/** The first moment after a day. */
function endOf(day?: string) {
  if (!day) return undefined;
  const next = new Date(`${day}T00:00`);
  next.setDate(next.getDate() + 1);
  return next.toISOString();
}
