import { useEffect, useRef, useState } from "react";
import { Button } from "../../parts/Button";
import type { Dataset } from "../../parts/sql/schema";
import type { OwnPart } from "../../work/paperText";
import { AnswerEditor } from "./AnswerEditor";
import { CheckEditor } from "./CheckEditor";
import { ExampleEditor } from "./ExampleEditor";
import { HeadingEditor } from "./HeadingEditor";
import { MarkdownEditor } from "./MarkdownEditor";
import { fence, newExample, type Piece } from "./pieces";
import { TextSpace } from "./TextSpace";

interface Props {
  own: OwnPart;
  paper: string;
  /** What rules may name. */
  constructs: string[];
  tables?: Dataset;
  onChange(text: string): void;
}

/** A section opened for writing: its pieces, each with the editor that it needs, or all of it as text. */
export function PartEditor({ own, paper, constructs, tables, onChange }: Props) {
  const [whole, setWhole] = useState(own.part.pieces.length === 0);
  const [pieces, setPieces] = useState(own.part.pieces);
  const [uses, setUses] = useState<string[]>([]); // what the answer uses, as rules name it
  const joined = pieces.map((piece) => piece.text).join("");
  // Somebody else's text has come, or it was written as a whole.
  if (joined !== own.text && own.part.text === own.text) setPieces(own.part.pieces);
  const [slug] = useState(own.part.slug); // under which what learners did is kept
  const box = useRef<HTMLDivElement>(null);
  useEffect(() => {
    box.current?.querySelector<HTMLElement>("input, textarea")?.focus({ preventScroll: true });
  }, []);

  const put = (next: Piece[]) => {
    setPieces(next);
    onChange(next.map((piece) => piece.text).join(""));
  };
  const set = (i: number, text: string) => put(pieces.map((piece, j) => (j === i ? { ...piece, text } : piece)));
  const insert = (at: number, piece: Piece) => put([...pieces.slice(0, at), piece, ...pieces.slice(at)]);
  const check = pieces.findIndex((piece) => piece.kind === "check");
  const answer = pieces.findIndex((piece) => piece.kind === "answer");
  const title = own.part.title || "this section";

  if (whole)
    return (
      <div ref={box}>
        <TextSpace label={`Text of ${title}`} text={own.text} onChange={onChange} />
        <p>
          <Button size="small" disabled={own.unsaved} onClick={() => setWhole(false)}>
            As a form
          </Button>
        </p>
      </div>
    );
  return (
    <div ref={box} className="pieces">
      {pieces.map((piece, i) => {
        const key = `${i} ${piece.kind}`;
        const change = (text: string) => set(i, text);
        switch (piece.kind) {
          case "heading":
            return <HeadingEditor key={key} text={piece.text} slug={slug} exercise={answer >= 0} onChange={change} />;
          case "answer":
            return (
              <AnswerEditor
                key={key}
                paper={paper}
                label={`Accepted answer of ${title}`}
                text={piece.text}
                check={pieces[check]?.text}
                tables={tables}
                onChange={change}
                onUses={setUses}
              />
            );
          case "check":
            return (
              <CheckEditor
                key={key}
                paper={paper}
                text={piece.text}
                uses={uses}
                constructs={constructs}
                tables={tables}
                onChange={change}
              />
            );
          case "example":
            return (
              <ExampleEditor
                key={key}
                paper={paper}
                text={piece.text}
                tables={tables}
                onChange={change}
                onRemove={() => put(pieces.filter((_, j) => j !== i))}
              />
            );
          default:
            return piece.text.trim() || alone(pieces, i) ? (
              <MarkdownEditor
                key={key}
                paper={paper}
                label={labelOf(pieces, i)}
                title={title}
                text={piece.text}
                onChange={change}
              />
            ) : null;
        }
      })}
      <p className="piece-actions">
        {answer >= 0 && check < 0 && (
          <Button
            size="small"
            onClick={() => insert(answer + 1, { kind: "check", text: "\n" + fence("yaml check", "points: 1") })}
          >
            Points and rules …
          </Button>
        )}
        <Button size="small" onClick={() => insert(pieces.length, { kind: "text", text: "\nWrite here.\n\n" })}>
          Add text
        </Button>
        <Button size="small" onClick={() => insert(answer >= 0 ? answer : pieces.length, newExample)}>
          Add an example
        </Button>
        {answer < 0 && pieces[0]?.kind === "heading" && (
          <Button
            size="small"
            onClick={() => insert(pieces.length, { kind: "answer", text: "\n" + fence("sql answer", "") })}
          >
            Make it an exercise
          </Button>
        )}
        <Button size="small" disabled={own.unsaved} onClick={() => setWhole(true)}>
          As text
        </Button>
      </p>
    </div>
  );
}

/** Whether it is the place for a section's Markdown: there is no other. */
function alone(pieces: Piece[], at: number) {
  return pieces.findIndex((piece) => piece.kind === "text") === at;
}

function labelOf(pieces: Piece[], at: number) {
  const answer = pieces.findIndex((piece) => piece.kind === "answer");
  if (answer < 0) return "Text";
  return at < answer ? "Task" : "Behind the answer";
}
