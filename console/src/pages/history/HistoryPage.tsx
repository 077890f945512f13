import { Button, Select } from "antd";
import { useSearchParams } from "react-router";
import type { Outcome, Schemas } from "../../api/client";
import { outcomeWord } from "../../parts/words";
import { useSession } from "../../session";
import { EntryList } from "./EntryList";
import { useTitle } from "../../parts/useTitle";

const outcomes: Outcome[] = ["correct", "incorrect", "rejected", "failed", "stopped", "done"];

/** One's own runs and attempts; for those who teach, their courses', too. */
export function HistoryPage() {
  useTitle("History");
  const { session } = useSession();
  const staff = session!.account.role !== "learner";
  const [search, setSearch] = useSearchParams();
  const get = (name: string) => search.get(name) ?? undefined;
  const set = (name: string, value?: string) => {
    const next = new URLSearchParams(search);
    if (value) next.set(name, value);
    else next.delete(name);
    setSearch(next);
  };
  return (
    <section className="page wide">
      <h1>{staff ? "History" : "My history"}</h1>
      <div className="filters">
        <Select
          allowClear
          placeholder="Runs and attempts"
          aria-label="Kind"
          value={get("kind")}
          onChange={(v?: string) => set("kind", v)}
          options={[
            { value: "run", label: "Runs" },
            { value: "attempt", label: "Attempts" },
          ]}
        />
        <Select
          allowClear
          placeholder="Any outcome"
          aria-label="Outcome"
          value={get("outcome")}
          onChange={(v?: string) => set("outcome", v)}
          options={outcomes.map((o) => ({ value: o, label: outcomeWord(o) }))}
        />
        {get("paper") && (
          <span>
            Only {get("paper")}
            {get("exercise") && `/${get("exercise")}`}.{" "}
            <Button type="link" size="small" onClick={() => setSearch({})}>
              Show all
            </Button>
          </span>
        )}
      </div>
      <EntryList
        filter={{
          paper: get("paper"),
          exercise: get("exercise"),
          outcome: get("outcome") as Outcome,
          kind: get("kind") as Schemas["EntryKind"],
        }}
        withLearner={staff}
      />
    </section>
  );
}
