import { useMemo, type CSSProperties } from "react";
import { colourLines } from "./colour";

/** Shows SQL: coloured, with line numbers. */
export function SqlView({ label, text }: { label: string; text: string }) {
  return (
    <div className="sql sql-shown" role="group" aria-label={label}>
      <SqlLines text={text} />
    </div>
  );
}

export function SqlLines({ text }: { text: string }) {
  const lines = useMemo(() => colourLines(text), [text]);
  return (
    <pre className="sql-lines" style={{ "--digits": String(lines.length).length } as CSSProperties}>
      {lines.map((line, i) => (
        <code key={i}>
          {line.map(({ text, colour }, j) => (
            <span key={j} className={colour || undefined}>
              {text}
            </span>
          ))}
        </code>
      ))}
    </pre>
  );
}
