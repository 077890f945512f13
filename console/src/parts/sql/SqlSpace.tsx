import {
  useEffect,
  useImperativeHandle,
  useRef,
  useState,
  type ComponentType,
  type CSSProperties,
  type Ref,
} from "react";
import { keepUndo, keptUndo, type Undo } from "../../work/undo";
import type { Statement } from "./language";
import { retrying } from "../lazily";
import type { Dataset } from "./schema";
import { SqlLines } from "./SqlView";

const load = () => retrying(() => import("./SqlEditor").then((m) => m.default));

/** What can be done to the text that is being written. */
export interface SqlHandle {
  /** Writes a text where the cursor stands. */
  insert(text: string): void;
  /** Puts a text in place of all that is there; it can be undone. */
  replace(text: string): void;
  /** What is to be run: all statements, or those selected, or the one where the cursor stands. */
  statements(all: boolean): Promise<Statement[]>;
  undoState(): Undo;
}

export interface SpaceProps {
  label: string;
  text: string;
  dataset?: Dataset;
  wrap: boolean;
  ref?: Ref<SqlHandle>;
  /** Under which what can be undone is kept from visit to visit. */
  undoKey?: string;
  onChange(text: string): void;
  onRun?(statements: Statement[]): void;
  onLayOut?(): void;
  /** What was pasted has been mended; undo brings it back as it was. */
  onMended?(undo: () => void): void;
}

export interface EditorProps extends Omit<SpaceProps, "ref" | "undoKey"> {
  undo?: Undo;
  /** Where the cursor is to stand; undefined where the keyboard is to stay elsewhere. */
  selection?: { anchor: number; head: number };
  onReady(handle: SqlHandle): void;
  onLeave(undo: Undo): void;
}

const inUse: (() => void)[] = []; // those that are written in, the latest last
const mostInUse = 2;

/**
 * A place to write SQL. Until it is used it only looks like an editor; one can write in it as well, and the editor
 * takes over where one stands as soon as it has loaded.
 */
export function SqlSpace({ ref, undoKey, ...props }: SpaceProps) {
  const { label, text, onChange } = props;
  const [editor, setEditor] = useState<{ Component: ComponentType<EditorProps> } & Pick<EditorProps, "selection">>();
  const plain = useRef<HTMLTextAreaElement>(null);
  const handle = useRef<SqlHandle>(null);
  const waiting = useRef<((handle: SqlHandle) => void)[]>([]);

  async function begin() {
    const loaded = await load();
    requestAnimationFrame(() => {
      const space = plain.current;
      if (!space) return;
      const active = document.activeElement === space || waiting.current.length > 0;
      const selection = active ? { anchor: space.selectionStart, head: space.selectionEnd } : undefined;
      setEditor({ Component: loaded, selection });
    });
  }

  useImperativeHandle(ref, () => {
    const withEditor = (f: (handle: SqlHandle) => void) => {
      if (handle.current) return f(handle.current);
      waiting.current.push(f);
      void begin();
    };
    return {
      insert: (what) => withEditor((h) => h.insert(what)),
      replace: (all) => withEditor((h) => h.replace(all)),
      statements: async (all) =>
        handle.current ? handle.current.statements(all) : (await import("./language")).statementsOf(text),
      undoState: () => handle.current?.undoState() ?? { doc: text },
    };
  }, [text]);

  const inEditor = editor !== undefined;
  useEffect(() => {
    if (!inEditor) return;
    const rest = () => setEditor(undefined);
    inUse.push(rest);
    if (inUse.length > mostInUse) inUse.shift()!();
    return () => {
      const at = inUse.indexOf(rest);
      if (at >= 0) inUse.splice(at, 1);
    };
  }, [inEditor]);

  if (!editor)
    return (
      <div className="sql sql-space">
        <SqlLines text={text} />
        <textarea
          ref={plain}
          aria-label={label}
          aria-describedby="leave-editor"
          value={text}
          style={{ "--digits": String(text.split("\n").length).length } as CSSProperties}
          placeholder="SELECT ..."
          spellCheck={false}
          autoCapitalize="none"
          onFocus={() => void begin()}
          onPointerEnter={() => void load()}
          onChange={(event) => onChange(event.target.value)}
        />
      </div>
    );
  return (
    <editor.Component
      {...props}
      undo={undoKey ? keptUndo(undoKey) : undefined}
      selection={editor.selection}
      onReady={(made) => {
        handle.current = made;
        // The editor first takes the text that it was given; what waits comes after that.
        const waited = waiting.current.splice(0);
        queueMicrotask(() => waited.forEach((f) => f(made)));
      }}
      onLeave={(undo) => {
        handle.current = null;
        if (undoKey) keepUndo(undoKey, undo);
      }}
    />
  );
}
