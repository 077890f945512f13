import { useRef, useState } from "react";
import { answer, api, problemOf } from "../../api/client";
import { Button } from "../../parts/Button";
import { TextSpace } from "./TextSpace";

interface Props {
  paper: string;
  /** What it is: a task, or narrative. */
  label: string;
  /** Of the section. */
  title: string;
  text: string;
  onChange(text: string): void;
}

/** Markdown between the blocks of a section, and a way to put a picture into it. */
export function MarkdownEditor({ paper, label, title, text, onChange }: Props) {
  const [[lead, trail]] = useState(() => around(text));
  const framed = text.length >= lead.length + trail.length && text.startsWith(lead) && text.endsWith(trail);
  const shown = framed ? text.slice(lead.length, text.length - trail.length) : text.trim();
  const write = (next: string) => onChange(lead + next + trail);
  const space = useRef<HTMLTextAreaElement>(null);
  const file = useRef<HTMLInputElement>(null);
  const [said, setSaid] = useState("");

  async function add(files: FileList | null) {
    const picture = files?.[0];
    if (!picture) return;
    const name = picture.name.replace(/[^A-Za-z0-9._-]+/g, "-").replace(/^[^A-Za-z0-9]+/, "");
    setSaid("Adding the picture …");
    try {
      await answer(
        api.PUT("/api/papers/{paper}/writing/pictures/{name}", {
          params: { path: { paper, name } },
          body: picture as unknown as string,
          bodySerializer: (body) => body as unknown as File,
          headers: { "Content-Type": "application/octet-stream" },
        }),
      );
      setSaid("");
      const at = space.current?.selectionStart ?? shown.length;
      write(`${shown.slice(0, at)}![Say what is seen](pictures/${name})${shown.slice(at)}`);
    } catch (error) {
      const { title: wrong, detail } = problemOf(error);
      setSaid(`${wrong}. ${detail}`);
    }
  }

  return (
    <div className="markdown-editor">
      <h3>{label}</h3>
      <TextSpace ref={space} label={`${label} of ${title}`} text={shown} onChange={write} />
      <p className="quiet">
        Markdown: *slanted*, **strong**, `code`, lists, tables, $formulas$.{" "}
        <Button type="link" size="small" onClick={() => file.current?.click()}>
          Add a picture …
        </Button>
        <input
          ref={file}
          type="file"
          hidden
          accept="image/png,image/jpeg,image/gif,image/webp,image/svg+xml"
          aria-label="Picture"
          onChange={(event) => {
            void add(event.target.files);
            event.target.value = "";
          }}
        />{" "}
        <span role="status">{said}</span>
      </p>
    </div>
  );
}

/** The empty lines around a text: they stay as they are, out of sight; where there are none, those that it needs. */
function around(text: string): [string, string] {
  const [, lead = "", , trail = ""] = /^((?:[ \t]*\r?\n)*)([^]*?)(\s*)$/.exec(text) ?? [];
  return [lead || "\n", trail || "\n\n"];
}
