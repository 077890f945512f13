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
      <TimeField label="Opens" value={value("opens")} onSet={(next) => set("opens", next)} />
      <TimeField label="Due" value={value("due")} onSet={(next) => set("due", next)} />
      <p className="quiet">Times are in your time zone, and hold where a course says nothing else.</p>
      <Button size="small" onClick={() => setWhole(true)}>
        As text
      </Button>
    </div>
  );
}

/** A time in one's own zone; in the text it is in UTC. */
function TimeField({ label, value, onSet }: { label: string; value: string; onSet(next: string): void }) {
  const at = new Date(value);
  const local = Number.isNaN(at.getTime())
    ? ""
    : new Date(at.getTime() - at.getTimezoneOffset() * 60_000).toISOString().slice(0, 16);
  return (
    <label>
      {label}{" "}
      <input
        type="datetime-local"
        value={local}
        onChange={(event) =>
          onSet(event.target.value && new Date(event.target.value).toISOString().replace(".000Z", "Z"))
        }
      />
    </label>
  );
}
