import type { Schemas } from "../../api/client";

export type Piece = Schemas["Piece"];

/** A block of code: its fences as they are written, and what stands between them. */
export interface Fenced {
  open: string;
  body: string;
  close: string;
}

const fenceLine = /^\s*(`{3,}|~{3,})/m;

/** Empty lines before the block are taken for a part of its first fence. */
export function fencedOf(text: string): Fenced {
  const lines = text.split("\n");
  const first = lines.findIndex((line) => fenceLine.test(line));
  const last = lines.findLastIndex((line) => fenceLine.test(line) && line.trim().replace(/[`~]/g, "") === "");
  const end = last > first ? last : lines.length;
  return {
    open: lines.slice(0, first + 1).join("\n") + "\n",
    body: lines.slice(first + 1, end).join("\n"),
    close: lines.slice(end).join("\n"),
  };
}

/** The block with something else between its fences. */
export function withBody({ open, close }: Fenced, body: string) {
  const fence = fenceLine.exec(open)?.[1] ?? "```";
  let longer = fence; // than any line of the body that looks like its end
  while (body.split("\n").some((line) => line.trim().startsWith(longer))) longer += fence[0];
  return `${open.replace(fence, longer)}${body.replace(/\n+$/, "")}\n${close.replace(fence, longer) || `${longer}\n`}`;
}

/** A heading: its title, and the name that it gives the section, if it gives one. */
export interface Heading {
  title: string;
  name: string;
}

const heading = /^##[ \t]*(.*?)[ \t]*(?:\{#([^}]*)\})?[ \t]*$/;

/** undefined for a heading that is written in another way. */
export function headingOf(text: string): Heading | undefined {
  const found = heading.exec(text.split("\n")[0].replace(/\r$/, ""));
  return found ? { title: found[1], name: found[2] ?? "" } : undefined;
}

export function headingText({ title, name }: Heading, rest: string) {
  const line = ["##", title.replace(/[\r\n]+/g, " "), name && `{#${name}}`].filter(Boolean).join(" ");
  return line + rest;
}

/** What comes behind a heading's line in its piece. */
export const behind = (text: string) => text.slice(text.split("\n")[0].length);

export const fence = (label: string, body: string) => withBody({ open: `\`\`\`${label}\n`, body: "", close: "" }, body);

/** A new exercise, its title still to be written. */
export const newExercise = (sql: string) =>
  `## \n\nSay what is to be found.\n\n${fence("sql answer", sql)}\n${fence("yaml check", "points: 1")}\n`;

export const newNarrative = "## \n\nWrite here.\n\n";

export const newExample: Piece = { kind: "example", text: `\n${fence("sql example", "SELECT 1;")}\n` };
