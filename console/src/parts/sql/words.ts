import * as postgres from "virtual:sql-words";

// Words that PostgreSQL knows, but that anybody may call a column: coloured they would mislead.
const everyday = new Set(
  (
    "name day month year hour minute second type value kind role data level location owner version comment content " +
    "state position"
  ).split(" "),
);

/** The words that are coloured as SQL's own. */
export const keywords = postgres.keywords.split(" ").filter((word) => !everyday.has(word));

/** The names of types. */
export const types = postgres.types.split(" ");
