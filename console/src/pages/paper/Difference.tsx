import { useState } from "react";
import type { Entry } from "../../api/client";
import { moment, outcomeWord } from "../../parts/words";
import { Lines } from "./Lines";

const now = "now"; // the answer as it stands

/** Two texts of an answer, line by line: what the second has no longer, and what it has in its place. */
export function Difference({ attempts, text }: { attempts: Entry[]; text: string }) {
  const [from, setFrom] = useState(attempts[1]?.id ?? attempts[0].id);
  const [to, setTo] = useState(attempts[1] ? attempts[0].id : now);
  const textOf = (id: string) => (id === now ? text : (attempts.find((a) => a.id === id)?.sql ?? ""));
  const choices = [
    <option key={now} value={now}>
      the answer as it stands
    </option>,
    ...attempts.map((a) => (
      <option key={a.id} value={a.id}>
        {moment(a.at)}, {outcomeWord(a.outcome).toLowerCase()}
      </option>
    )),
  ];
  return (
    <section className="difference" aria-label="Two texts compared">
      <p>
        <label>
          From{" "}
          <select value={from} onChange={(event) => setFrom(event.target.value)}>
            {choices}
          </select>
        </label>{" "}
        <label>
          to{" "}
          <select value={to} onChange={(event) => setTo(event.target.value)}>
            {choices}
          </select>
        </label>
      </p>
      <Lines from={textOf(from)} to={textOf(to)} />
    </section>
  );
}
