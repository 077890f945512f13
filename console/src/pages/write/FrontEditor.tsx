import { Button } from "../../parts/Button";
import { parseDocument } from "yaml";
import { useState } from "react";
import { TextSpace } from "./TextSpace";

interface Props {
  text: string;
  onChange(text: string): void;
}

/** The front matter: the paper's title and times. */
export function FrontEditor({ text, onChange }: Props) {
  const [whole, setWhole] = useState(false);
  const doc = parseDocument(text.replace(/^\ufeff?---\r?\n/, "").replace(/\n---\s*$/, "\n"));
  const value = (key: string) => {
    const found: unknown = doc.get(key);
    return found === undefined || found === null ? "" : String(found);
  };
  const set = (key: string, next: string) => {
    if (next) doc.set(key, next);
    else doc.delete(key);
    onChange(`---\n${doc.toString({ lineWidth: 0 }).replace(/\n+$/, "")}\n---\n`);
  };
  if (whole || doc.errors.length > 0)
    return (
      <div>
        <TextSpace label="Front matter" text={text} onChange={onChange} />
        <Button size="small" disabled={doc.errors.length > 0} onClick={() => setWhole(false)}>
          As a form
        </Button>
      </div>
    );
  return (
    <div className="rule-fields front-editor">
      <label>
        Title <input value={value("title")} onChange={(event) => set("title", event.target.value)} />
      </label>
      <label>
        Opens, unless a course says otherwise{" "}
        <input
          value={value("opens")}
          placeholder="2026-09-01T08:00:00Z"
          onChange={(event) => set("opens", event.target.value)}
        />
      </label>
      <label>
        Due{" "}
        <input
          value={value("due")}
          placeholder="2026-09-15T22:00:00Z"
          onChange={(event) => set("due", event.target.value)}
        />
      </label>
      <Button size="small" onClick={() => setWhole(true)}>
        As text
      </Button>
    </div>
  );
}
