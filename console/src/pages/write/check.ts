import { Document, isMap, isSeq, parseDocument, Scalar } from "yaml";

/** The rules of an exercise as the form has them; what is not written has its default. */
export type Rules = Record<string, unknown>;

/** Reads a check block; a string says what is wrong with it. */
export function readCheck(text: string): Rules | string {
  const doc = parseDocument(text);
  if (doc.errors.length) return doc.errors[0].message.split("\n")[0];
  if (doc.contents === null) return {};
  return isMap(doc.contents) ? (doc.toJS() as Rules) : "keys with values are expected, as in points: 2";
}

/** The block with one key set, or taken out with undefined; everything else stays as it is written. */
export function setRule(text: string, key: string, value: unknown): string {
  const doc = text.trim() ? parseDocument(text) : new Document({});
  if (value === undefined) doc.delete(key);
  else doc.set(key, node(doc, key, value));
  if (isMap(doc.contents)) {
    doc.contents.flow = false;
    if (doc.contents.items.length === 0) return "";
  }
  return doc.toString({ flowCollectionPadding: false, lineWidth: 0 }).replace(/\n+$/, "");
}

function node(doc: Document, key: string, value: unknown) {
  const made = doc.createNode(value);
  if (!isSeq(made)) return made;
  if (key !== "also") {
    made.flow = true; // [join, group-by]
    return made;
  }
  for (const item of made.items) if (item instanceof Scalar) item.type = Scalar.BLOCK_LITERAL;
  return made;
}

/** A list that a rule holds. */
export function listOf(rules: Rules, key: string): string[] {
  const value = rules[key];
  if (Array.isArray(value)) return value.map(String);
  return value === undefined || value === null ? [] : [String(value)];
}
