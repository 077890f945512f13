import {
  autocompletion,
  closeBrackets,
  closeBracketsKeymap,
  closeCompletion,
  completionKeymap,
} from "@codemirror/autocomplete";
import {
  defaultKeymap,
  history,
  historyField,
  historyKeymap,
  indentWithTab,
  toggleComment,
} from "@codemirror/commands";
import { sql } from "@codemirror/lang-sql";
import { bracketMatching, indentUnit, syntaxHighlighting } from "@codemirror/language";
import { forceLinting, linter } from "@codemirror/lint";
import { highlightSelectionMatches, searchKeymap } from "@codemirror/search";
import { Compartment, EditorState, Prec, type StateEffect } from "@codemirror/state";
import { EditorView, keymap, lineNumbers, placeholder } from "@codemirror/view";
import { useEffect, useEffectEvent, useRef } from "react";
import { completionOf } from "./completion";
import { colours, dialect, statementsOf } from "./language";
import { misspeltIn } from "./misspelt";
import { mendPasted } from "./paste";
import type { Dataset } from "./schema";
import type { Undo } from "../../work/undo";
import type { EditorProps, SqlHandle } from "./SqlSpace";

/** The statements of a text that are to be run: all, those selected, or the one where the cursor stands. */
function statementsToRun(state: EditorState, all: boolean) {
  const { from, to, head, empty } = state.selection.main;
  const text = state.doc.toString();
  const found = statementsOf(text);
  if (all || found.length < 2) {
    if (!all && !empty) return within(text, from, to);
    return found;
  }
  if (!empty) return within(text, from, to);
  const at = found.findLast((s) => s.from <= head) ?? found[0];
  return [at];
}

function within(text: string, from: number, to: number) {
  const before = text.slice(0, from).split("\n");
  return statementsOf(text.slice(from, to)).map((s) => ({
    ...s,
    from: s.from + from,
    to: s.to + from,
    line: s.line + before.length - 1,
    column: s.column + (s.line === 1 ? before.at(-1)!.length : 0),
  }));
}

const undoFields = { history: historyField };

/** Where one writes SQL. */
export default function SqlEditor(props: EditorProps) {
  const { text, dataset, wrap } = props;
  const parent = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(null);
  const wrapping = useRef(new Compartment());
  const latest = useRef(props);
  useEffect(() => {
    latest.current = props;
  });

  const begin = useEffectEvent((): EditorView => {
    latest.current = props;
    const now = () => latest.current;
    const data = (): Dataset | undefined => now().dataset;
    const run = (all: boolean) => (editor: EditorView) => {
      closeCompletion(editor);
      now().onRun?.(statementsToRun(editor.state, all));
      return true;
    };
    const extensions = [
      Prec.highest(
        keymap.of([
          { key: "Mod-Enter", run: run(false), shift: run(true) },
          { key: "Mod-/", run: toggleComment },
          { key: "Shift-Alt-f", run: () => (now().onLayOut?.(), true) },
        ]),
      ),
      keymap.of([
        ...closeBracketsKeymap,
        ...completionKeymap,
        ...searchKeymap,
        ...defaultKeymap,
        ...historyKeymap,
        indentWithTab,
      ]),
      history(),
      lineNumbers(),
      bracketMatching(),
      closeBrackets(),
      highlightSelectionMatches(),
      indentUnit.of("  "),
      sql({ dialect }),
      syntaxHighlighting(colours),
      autocompletion({ override: [completionOf(data)], icons: false, maxRenderedOptions: 60 }),
      linter((editor) => (data() ? misspeltIn(editor.state.doc.toString(), data()!) : []), { delay: 400 }),
      wrapping.current.of(now().wrap ? EditorView.lineWrapping : []),
      EditorView.contentAttributes.of({ "aria-label": now().label, "aria-describedby": "leave-editor" }),
      EditorState.phrases.of({ Diagnostics: "Possible mistakes" }),
      placeholder("SELECT ..."),
      EditorView.updateListener.of((update) => {
        if (update.docChanged) now().onChange?.(update.state.doc.toString());
      }),
      EditorView.domEventHandlers({
        paste: (event, editor) => {
          const pasted = event.clipboardData?.getData("text/plain") ?? "";
          const mended = mendPasted(pasted, data());
          if (mended === pasted) return false;
          event.preventDefault();
          const { from } = editor.state.selection.main;
          editor.dispatch(editor.state.replaceSelection(mended), { userEvent: "input.paste", scrollIntoView: true });
          now().onMended?.(() => {
            editor.dispatch({ changes: { from, to: from + mended.length, insert: pasted } });
            editor.focus();
          });
          return true;
        },
      }),
    ];
    const { undo: kept, text: doc } = now();
    let state = EditorState.create({ doc, extensions });
    if (kept && kept.doc === doc) {
      try {
        state = EditorState.fromJSON(kept, { extensions }, undoFields);
      } catch {
        // of another version: there is nothing to undo then
      }
    }
    return new EditorView({ parent: parent.current!, state });
  });

  useEffect(() => {
    const editor = begin();
    view.current = editor;
    const handle: SqlHandle = {
      insert: (what) => {
        editor.dispatch(editor.state.replaceSelection(what), { userEvent: "input", scrollIntoView: true });
        editor.focus();
      },
      replace: (all) => {
        editor.dispatch({ changes: { from: 0, to: editor.state.doc.length, insert: all }, userEvent: "input" });
        editor.focus();
      },
      statements: async (all) => statementsToRun(editor.state, all),
      undoState: () => editor.state.toJSON(undoFields) as Undo,
    };
    const { selection, onReady } = latest.current;
    if (selection) {
      const end = editor.state.doc.length;
      editor.dispatch({ selection: { anchor: Math.min(selection.anchor, end), head: Math.min(selection.head, end) } });
      editor.focus();
    }
    onReady(handle);
    return () => {
      latest.current.onLeave(handle.undoState());
      editor.destroy();
    };
  }, []);

  useEffect(() => {
    const editor = view.current;
    if (editor && text !== editor.state.doc.toString()) {
      editor.dispatch({ changes: { from: 0, to: editor.state.doc.length, insert: text } });
    }
  }, [text]);
  useEffect(() => {
    view.current?.dispatch({
      effects: wrapping.current.reconfigure(wrap ? EditorView.lineWrapping : []) as StateEffect<unknown>,
    });
  }, [wrap]);
  useEffect(() => {
    if (dataset && view.current) forceLinting(view.current);
  }, [dataset]);

  return <div ref={parent} className="sql" />;
}
