import { highlightCode } from "@lezer/highlight";
import { colours, dialect } from "./language";

/** A piece of a line, with the class that colours it. */
export interface Piece {
  text: string;
  colour: string;
}

/** The coloured lines of an SQL text. */
export function colourLines(text: string): Piece[][] {
  const lines: Piece[][] = [[]];
  highlightCode(
    text,
    dialect.language.parser.parse(text),
    colours,
    (piece, colour) => lines.at(-1)!.push({ text: piece, colour }),
    () => lines.push([]),
  );
  return lines;
}
