import { Link } from "react-router";
import { Button } from "../../parts/Button";
import { Menu } from "../../parts/Menu";
import { count, moment } from "../../parts/words";
import type { PaperText, TextState } from "../../work/paperText";

interface Props {
  text: PaperText;
  state: TextState;
  tables: boolean;
  onTables(): void;
  onOpen(part: number): void;
}

/** What stays at hand while a paper is written: its outline, how it stands, who else is there, how to publish it. */
export function WriteBar({ text, state, tables, onTables, onOpen }: Props) {
  const { writing, order, parts } = state;
  const paper = writing.paper;
  const others = [...new Set(text.others().map((other) => other.said))];
  return (
    <nav className="paper-bar" aria-label="This paper">
      <Menu label="Outline">
        <ol className="outline">
          {order.map((id) => {
            const part = parts.get(id)?.part;
            if (!part) return null;
            const wrong = writing.wrong.some((error) => error.part === id);
            return (
              <li key={id}>
                <button
                  type="button"
                  data-closes
                  className="outline-exercise"
                  onClick={() => {
                    document.querySelector(`[data-part="${id}"]`)?.scrollIntoView();
                    onOpen(id);
                  }}
                >
                  {part.front ? "Title and times" : part.title || "The beginning"} <small>{stateOf(part, wrong)}</small>
                </button>
              </li>
            );
          })}
        </ol>
      </Menu>
      <span className="quiet" role="status">
        {said(state)}
      </span>
      {strength(state) && (
        <Link className="quiet" to={`/papers/${paper}/strengthen`}>
          {strength(state)}
        </Link>
      )}
      {others.length > 0 && <span className="others">{others.join(" ")}</span>}
      <span className="actions-end">
        <Button size="small" aria-pressed={tables} onClick={onTables}>
          Tables
        </Button>
        <Link className="button button-small" to={`/papers/${paper}/versions`}>
          Versions
        </Link>
        {writing.published && (
          <Link className="button button-small" to={`/papers/${paper}`}>
            As learners see it
          </Link>
        )}
        <Link className="button button-primary button-small" to={`/papers/${paper}/publish`}>
          Publish …
        </Link>
      </span>
    </nav>
  );
}

function stateOf(part: { exercise: boolean; remarks: { severity: string }[] }, wrong: boolean) {
  if (wrong) return "cannot be published";
  const remarks = part.remarks.filter((remark) => remark.severity !== "note").length;
  if (remarks) return count(remarks, "remark");
  return part.exercise ? "exercise" : "";
}

/** How strong its exercises are together; nothing while that is not known. */
function strength({ parts }: TextState) {
  const known = [...parts.values()].flatMap((own) => own.part.strength ?? []);
  const mutations = known.reduce((n, s) => n + s.mutations, 0);
  if (mutations === 0) return "";
  return `${known.reduce((n, s) => n + s.told, 0)} of ${mutations} mutations told apart`;
}

/** How the text stands. */
function said({ parts, problem, saving, writing }: TextState) {
  const all = [...parts.values()];
  if (problem) return `Not saved: ${problem.title.toLowerCase()}`;
  if (all.some((own) => own.theirs !== undefined)) return "A section waits for you: it has two forms.";
  if (saving || all.some((own) => own.unsaved)) return "Saving …";
  if (!writing.unpublished) return "As it is published.";
  const latest = all
    .map((own) => own.part.at)
    .sort()
    .at(-1);
  return `Saved${latest ? ` ${moment(latest)}` : ""}; not published yet.`;
}
