import { defaultKeymap, history, historyKeymap, indentWithTab } from "@codemirror/commands";
import { PostgreSQL, sql, SQLDialect } from "@codemirror/lang-sql";
import { bracketMatching, HighlightStyle, syntaxHighlighting } from "@codemirror/language";
import { closeBrackets } from "@codemirror/autocomplete";
import { EditorState, Prec } from "@codemirror/state";
import { EditorView, keymap, lineNumbers, placeholder } from "@codemirror/view";
import { tags } from "@lezer/highlight";
import { useEffect, useRef } from "react";

// Colours are variables of the page, so that light and dark need no second set.
const colours = HighlightStyle.define([
  { tag: tags.keyword, color: "var(--sql-keyword)", fontWeight: "600" },
  { tag: [tags.string, tags.special(tags.string)], color: "var(--sql-string)" },
  { tag: tags.number, color: "var(--sql-number)" },
  { tag: [tags.lineComment, tags.blockComment], color: "var(--quiet)", fontStyle: "italic" },
  { tag: tags.typeName, color: "var(--sql-number)" },
]);

// Words that PostgreSQL knows, but that anybody may call a column: coloured they would mislead.
const everyday = new Set("name day month year hour minute second type value kind role data level location owner version comment content state position".split(" "));
const dialect = SQLDialect.define({
  ...PostgreSQL.spec,
  keywords: PostgreSQL.spec.keywords!.split(" ").filter((word) => !everyday.has(word)).join(" "),
});

interface Props {
  label: string;
  /** The text to begin with. A new value replaces what was typed. */
  text: string;
  onChange?(text: string): void;
  onRun?(): void;
  readOnly?: boolean;
}

/** A place to write or to show SQL: coloured, with line numbers. */
export function SqlText({ label, text, onChange, onRun, readOnly }: Props) {
  const parent = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(null);
  const handlers = useRef({ onChange, onRun });
  useEffect(() => {
    handlers.current = { onChange, onRun };
  });

  useEffect(() => {
    const editor = new EditorView({
      parent: parent.current!,
      state: EditorState.create({
        doc: text,
        extensions: [
          Prec.highest(keymap.of([{ key: "Mod-Enter", run: () => (handlers.current.onRun?.(), true) }])),
          keymap.of([...defaultKeymap, ...historyKeymap, indentWithTab]),
          history(),
          lineNumbers(),
          bracketMatching(),
          closeBrackets(),
          sql({ dialect }),
          syntaxHighlighting(colours),
          EditorView.lineWrapping,
          EditorView.contentAttributes.of(readOnly ? { "aria-label": label } : { "aria-label": label, "aria-describedby": "leave-editor" }),
          readOnly ? [EditorState.readOnly.of(true), EditorView.editable.of(false)] : placeholder("SELECT ..."),
          EditorView.updateListener.of((update) => {
            if (update.docChanged) handlers.current.onChange?.(update.state.doc.toString());
          }),
        ],
      }),
    });
    view.current = editor;
    return () => editor.destroy();
    // The editor is made once; later values of text are brought in below.
  }, [label, readOnly]);

  useEffect(() => {
    const editor = view.current;
    if (editor && text !== editor.state.doc.toString()) {
      editor.dispatch({ changes: { from: 0, to: editor.state.doc.length, insert: text } });
    }
  }, [text]);

  return <div ref={parent} className={readOnly ? "sql sql-shown" : "sql"} />;
}
