import { folded, type Dataset } from "./schema";

/**
 * Replaces the quotes, dashes and spaces that word processors set by those that SQL has. Double quotes stay double
 * where they hold the name of a table or column.
 */
export function mendPasted(text: string, dataset?: Dataset): string {
  const names = new Set(dataset?.tables.flatMap((t) => [t.name, ...t.columns.map((c) => c.name)]));
  return text
    .replace(/[“”„‟]([^“”„‟"]*)[“”„‟]/g, (_, inner: string) =>
      names.has(folded(`"${inner}"`)) ? `"${inner}"` : `'${inner}'`,
    )
    .replace(/[“”„‟]/g, '"')
    .replace(/[‘’‚‛]/g, "'")
    .replace(/[\u2010-\u2015\u2212]/g, "-")
    .replace(/[\u00a0\u2000-\u200a\u202f\u205f\u3000]/g, " ")
    .replace(/[\u200b-\u200d\u2060\ufeff]/g, "");
}
