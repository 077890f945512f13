import { diffLines, type Change } from "diff";
import { count } from "../../parts/words";

interface Props {
  from: string;
  to: string;
  /** How many of the lines that are the same are shown around a change; by default all. */
  around?: number;
}

/** Two texts, line by line: what the second has no longer, and what it has in its place. */
export function Lines({ from, to, around = Infinity }: Props) {
  const parts = diffLines(ended(from), ended(to));
  if (parts.every((part) => !part.added && !part.removed)) return <p className="quiet">Both texts are the same.</p>;
  return (
    <div className="difference-lines">
      {parts.flatMap((part, i) =>
        shown(part, i > 0, i < parts.length - 1, around).map((line, j) => (
          <Line key={`${i}-${j}`} line={line} added={part.added} removed={part.removed} />
        )),
      )}
    </div>
  );
}

/** The lines of a part; of a long one that is the same in both, those next to a change. */
function shown(part: Change, after: boolean, before: boolean, around: number): string[] {
  const lines = part.value.replace(/\n$/, "").split("\n");
  if (part.added || part.removed || lines.length <= 2 * around + 1) return lines;
  const first = after ? lines.slice(0, around) : [];
  const last = before ? lines.slice(-around) : [];
  return [...first, `… ${count(lines.length - first.length - last.length, "line")} …`, ...last];
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
