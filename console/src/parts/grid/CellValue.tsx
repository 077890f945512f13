import { asShown, emptyText, type Cell } from "./values";

const longest = 400; // characters of a cell that are drawn; the whole of it opens on demand

/** A cell's value on one line: NULL, an empty text, blanks and a text that says NULL can be told apart. */
export function CellValue({ cell, type }: { cell: Cell; type: string }) {
  const text = asShown(cell, type);
  if (text === null)
    return (
      <i className="no-text" aria-label="NULL, no value">
        NULL
      </i>
    );
  if (text === "") return <i className="no-text">{emptyText}</i>;
  const shown = text.length > longest ? text.slice(0, longest) + " …" : text;
  if (!/^\s|\s$|[\n\t\u00a0]/.test(shown)) return shown;
  const [, before, middle, after] = /^(\s*)([\s\S]*?)(\s*)$/.exec(shown)!;
  return (
    <>
      <Blanks text={before} />
      {middle.split(/([\n\t\u00a0])/).map((part, i) => (i % 2 ? <Blanks key={i} text={part} /> : part))}
      <Blanks text={after} />
    </>
  );
}

const signs: Record<string, string> = { " ": "·", "\n": "⏎", "\t": "⇥", "\r": "␍", "\u00a0": "⍽" };

/** Blanks, which would not show. */
function Blanks({ text }: { text: string }) {
  return text && <span className="blank">{[...text].map((c) => signs[c] ?? "·").join("")}</span>;
}
