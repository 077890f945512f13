import { useQuery } from "@tanstack/react-query";
import { useEffect, useEffectEvent, useState, type ReactNode } from "react";
import { answer, api, type Outcome } from "../../api/client";
import { outcomeWord } from "../../parts/words";

const outcomes: Outcome[] = ["correct", "incorrect", "rejected", "failed", "stopped", "done"];

interface Props {
  get(name: string): string | undefined;
  set(name: string, value?: string): void;
}

/** By what the history can be searched and cut down. */
export function Filters({ get, set }: Props) {
  const papers = useQuery({ queryKey: ["papers"], queryFn: () => answer(api.GET("/api/papers")) });
  const datasets = useQuery({ queryKey: ["datasets"], queryFn: () => answer(api.GET("/api/datasets")) });
  const paper = get("paper");
  const exercises = useQuery({
    queryKey: ["paper", paper],
    queryFn: () => answer(api.GET("/api/papers/{paper}", { params: { path: { paper: paper! } } })),
    enabled: paper !== undefined,
    staleTime: 60_000,
  });
  const choice = (name: string, label: string, any: string, options: ReactNode) => (
    <label>
      {label}{" "}
      <select value={get(name) ?? ""} onChange={(event) => set(name, event.target.value)}>
        <option value="">{any}</option>
        {options}
      </select>
    </label>
  );
  return (
    <search className="filters">
      <TextFilter text={get("text") ?? ""} onText={(text) => set("text", text)} />
      {choice(
        "kind",
        "What",
        "runs and attempts",
        <>
          <option value="run">runs</option>
          <option value="attempt">attempts</option>
        </>,
      )}
      {choice(
        "outcome",
        "Outcome",
        "any",
        outcomes.map((outcome) => (
          <option key={outcome} value={outcome}>
            {outcomeWord(outcome).toLowerCase()}
          </option>
        )),
      )}
      {choice(
        "paper",
        "Paper",
        "any",
        papers.data?.map((p) => <option key={p.slug} value={p.slug} label={p.title} />),
      )}
      {paper &&
        choice(
          "exercise",
          "Exercise",
          "any",
          exercises.data?.sections.map(
            ({ exercise: e }) => e && <option key={e.slug} value={e.slug} label={`${e.number}. ${e.title}`} />,
          ),
        )}
      {choice(
        "dataset",
        "Dataset",
        "any",
        datasets.data?.map((d) => <option key={d.name} value={d.name} label={d.title} />),
      )}
      <label>
        From <input type="date" value={get("since") ?? ""} onChange={(event) => set("since", event.target.value)} />
      </label>
      <label>
        to <input type="date" value={get("until") ?? ""} onChange={(event) => set("until", event.target.value)} />
      </label>
      <label>
        <input
          type="checkbox"
          checked={get("kept") === "yes"}
          onChange={(event) => set("kept", event.target.checked ? "yes" : undefined)}
        />{" "}
        Only what I keep
      </label>
    </search>
  );
}

const pause = 300; // milliseconds after the last key

/** What is searched for is asked when one pauses. */
function TextFilter({ text, onText }: { text: string; onText(text: string): void }) {
  const [typed, setTyped] = useState(text);
  const [shown, setShown] = useState(text);
  if (shown !== text) {
    setShown(text); // it was changed elsewhere
    setTyped(text);
  }
  const ask = useEffectEvent(() => {
    if (typed !== text) onText(typed);
  });
  useEffect(() => {
    const timer = setTimeout(() => ask(), pause);
    return () => clearTimeout(timer);
  }, [typed]);
  return (
    <label className="filter-text">
      Text <input type="search" value={typed} maxLength={500} onChange={(event) => setTyped(event.target.value)} />
    </label>
  );
}
