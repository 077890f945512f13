import { useEffect, useMemo, useState, type CSSProperties } from "react";
import type { Piece } from "./colour";

type Colouring = (text: string) => Piece[][];
let colouring: Colouring | undefined; // once it has loaded

/** The lines of a text: as they are, and coloured as soon as that has loaded. */
function useLines(text: string): Piece[][] {
  const [loaded, setLoaded] = useState<{ colour?: Colouring }>({ colour: colouring });
  useEffect(() => {
    if (colouring) return;
    let shown = true;
    import("./colour").then(
      (m) => {
        colouring = m.colourLines;
        if (shown) setLoaded({ colour: colouring });
      },
      () => {}, // it stays as it is
    );
    return () => {
      shown = false;
    };
  }, []);
  return useMemo(
    () => (loaded.colour ?? ((plain) => plain.split("\n").map((line) => [{ text: line, colour: "" }])))(text),
    [loaded, text],
  );
}

/** Shows SQL: coloured, with line numbers. */
export function SqlView({ label, text }: { label: string; text: string }) {
  return (
    <div className="sql sql-shown" role="group" aria-label={label}>
      <SqlLines text={text} />
    </div>
  );
}

export function SqlLines({ text }: { text: string }) {
  const lines = useLines(text);
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
