import { diffLines } from "diff";
import { useState } from "react";
import type { Entry } from "../../api/client";
import { moment, outcomeWord } from "../../parts/words";

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
  const parts = diffLines(ended(textOf(from)), ended(textOf(to)));
  const alike = parts.every((part) => !part.added && !part.removed);
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
      {alike ? (
        <p className="quiet">Both texts are the same.</p>
      ) : (
        <div className="difference-lines">
          {parts.flatMap((part, i) =>
            part.value
              .replace(/\n$/, "")
              .split("\n")
              .map((line, j) => <Line key={`${i}-${j}`} line={line} added={part.added} removed={part.removed} />),
          )}
        </div>
      )}
    </section>
  );
}

function Line({ line, added, removed }: { line: string; added: boolean; removed: boolean }) {
  const Kind = added ? "ins" : removed ? "del" : "span";
  return (
    <Kind className="difference-line">
      <span className="difference-sign" aria-hidden="true">
        {added ? "+" : removed ? "−" : " "}
      </span>
      {(added || removed) && <span className="away">{added ? "new: " : "gone: "}</span>}
      {line}
    </Kind>
  );
}

/** A last line differs by its words alone, not by its end. */
const ended = (text: string) => text.replace(/\n*$/, "\n");
