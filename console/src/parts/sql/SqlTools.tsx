import { useRef, useState, type RefObject } from "react";
import { Button } from "../Button";
import { Menu } from "../Menu";
import { downloadText } from "../download";
import { usePreferences } from "../../session";
import type { SqlHandle } from "./SqlSpace";

interface Props {
  handle: RefObject<SqlHandle | null>;
  text: string;
  /** The name of a file that the text is saved as. */
  file: string;
  /** Asks how the database would work out the statement at the cursor. */
  onPlan?(): void;
}

const smallest = 10;
const largest = 28;

/** What can be done with a text besides running it, and how it is shown. */
export function SqlTools({ handle, text, file, onPlan }: Props) {
  const { preferences, prefer } = usePreferences();
  const [said, setSaid] = useState("");
  const chosen = useRef<HTMLInputElement>(null);

  async function open(files: FileList | null) {
    const first = files?.[0];
    if (!first) return;
    handle.current?.replace((await first.text()).replaceAll("\r\n", "\n"));
    setSaid(`${first.name} opened; undo brings back what was there.`);
  }

  function save() {
    downloadText(file, "application/sql", text);
  }

  return (
    <Menu label="More">
      <Button size="small" data-closes onClick={() => void layOut(handle, text).then(setSaid)}>
        Lay out the SQL
      </Button>
      <Button size="small" onClick={() => chosen.current?.click()}>
        Open a file ...
      </Button>
      <Button size="small" onClick={save} disabled={!text}>
        Save as a file
      </Button>
      {onPlan && (
        <Button size="small" data-closes onClick={onPlan} disabled={!text}>
          How it is worked out
        </Button>
      )}
      <input
        ref={chosen}
        type="file"
        accept=".sql,text/plain"
        hidden
        aria-label="SQL file"
        onChange={(event) => {
          void open(event.target.files);
          event.target.value = "";
        }}
      />
      <span className="tools-size" role="group" aria-label="Text size">
        Text size
        <Button
          size="small"
          aria-label="Smaller text"
          disabled={preferences.text_size <= smallest}
          onClick={() => prefer({ text_size: preferences.text_size - 1 })}
        >
          −
        </Button>
        {preferences.text_size}
        <Button
          size="small"
          aria-label="Larger text"
          disabled={preferences.text_size >= largest}
          onClick={() => prefer({ text_size: preferences.text_size + 1 })}
        >
          +
        </Button>
      </span>
      <label>
        <input
          type="checkbox"
          checked={preferences.wrap}
          onChange={(event) => prefer({ wrap: event.target.checked })}
        />{" "}
        Wrap long lines
      </label>
      <p className="quiet">
        Ctrl-Enter runs the statement at the cursor or what is selected, Ctrl-Shift-Enter all; Ctrl-F finds and
        replaces; Ctrl-/ makes lines comments; Ctrl-Space completes.
      </p>
      <p className="quiet" role="status">
        {said}
      </p>
    </Menu>
  );
}

/** Lays a text out; where that cannot be done, it says why. */
export async function layOut(handle: RefObject<SqlHandle | null>, text: string): Promise<string> {
  try {
    const { format } = await import("sql-formatter");
    const laid = format(text, { language: "postgresql", keywordCase: "preserve", tabWidth: 2 });
    if (laid !== text) handle.current?.replace(laid);
    return "";
  } catch {
    return "This text cannot be laid out: it is not complete SQL.";
  }
}
